import { ref, watch } from "vue";

/** How the desk is lit: by the wish of the system, or always so. */
export type Light = "system" | "day" | "night";

const KEY = "ruvel-light";
const wish = window.matchMedia("(prefers-color-scheme: dark)");
const kept = localStorage.getItem(KEY);
export const light = ref<Light>(kept === "day" || kept === "night" ? kept : "system");
const dark = ref(wish.matches);
wish.addEventListener("change", () => (dark.value = wish.matches));

/** Whether it is night now; what draws for itself draws anew when this changes. */
export const isNight = ref(false);

watch(
  [light, dark],
  () => {
    isNight.value = light.value === "night" || (light.value === "system" && dark.value);
    document.documentElement.dataset.light = isNight.value ? "night" : "day";
    if (light.value === "system") localStorage.removeItem(KEY);
    else localStorage.setItem(KEY, light.value);
  },
  { immediate: true, flush: "sync" },
);

export function toggleNight(): void {
  light.value = isNight.value ? "day" : "night";
}
