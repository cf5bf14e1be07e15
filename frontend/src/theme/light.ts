import { useLocalStorage, usePreferredDark } from "@vueuse/core";
import { computed, watchEffect } from "vue";

const chosen = useLocalStorage<"day" | "dusk" | "system">("bloom-light", "system");
const dark = usePreferredDark();
const light = computed(() => {
  if (chosen.value !== "system") return chosen.value;
  return dark.value ? "dusk" : "day";
});

watchEffect(() => (document.documentElement.dataset.light = light.value));

/** Which of the two lights is on; follows the system until one is chosen. */
export function useLight() {
  const toggle = () => (chosen.value = light.value === "day" ? "dusk" : "day");
  return { light, toggle };
}
