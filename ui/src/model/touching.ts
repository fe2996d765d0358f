import { ref } from "vue";

/** Whether a finger or a pen was used last, which has neither a second button nor a key beside it. */
export const touching = ref(window.matchMedia("(pointer: coarse)").matches);
window.addEventListener("pointerdown", (e) => (touching.value = e.pointerType !== "mouse"), true);
