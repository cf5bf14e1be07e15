<script setup lang="ts">
/** What lies on the bench: its name, what is shown of it, undo and redo, and room for more. */
import EditableName from "../../controls/EditableName.vue";
import UndoRedo from "../../controls/UndoRedo.vue";
import ViewHelp from "../../frame/ViewHelp.vue";

defineProps<{
  name: string;
  what: string;
  subtitle: string;
  revised: { undoLabel: string | null; redoLabel: string | null; back: (way: "undo" | "redo") => unknown };
}>();
defineEmits<{ rename: [name: string] }>();
</script>

<template>
  <div class="flex items-center gap-1">
    <h1 class="flex min-w-0 font-serif text-xl leading-tight">
      <EditableName :name="name" :what="what" @rename="$emit('rename', $event)" />
    </h1>
    <ViewHelp />
    <span
      class="min-w-0 flex-1 truncate pt-1.5 pl-2 max-xl:invisible font-serif text-base text-soft italic"
      :title="subtitle"
      data-testid="bench-summary"
      >{{ subtitle }}</span
    >
    <UndoRedo :undo="revised.undoLabel" :redo="revised.redoLabel" @step="revised.back" />
    <slot />
  </div>
</template>
