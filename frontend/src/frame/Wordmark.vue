<template>
  <svg width="24" height="24" viewBox="0 0 24 24" fill="none" stroke="currentColor" stroke-width="1.3" aria-hidden="true">
    <path
      v-for="turn in [0, 72, 144, 216, 288]"
      :key="turn"
      d="M12 12C8.500 9 9.500 3.500 12 2 14.500 3.500 15.500 9 12 12Z"
      :transform="`rotate(${turn} 12 12)`"
    />
  </svg>
</template>
