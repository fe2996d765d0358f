import type { VNode } from "vue";

/** Puts into the field of a list what is chosen in it, where it is read out; what is seen stands over it. */
function say(vnode: VNode): void {
  const list = vnode.el as HTMLElement | null;
  const field = list?.querySelector<HTMLInputElement>("input[readonly]");
  const chosen = list?.querySelector(".el-select__placeholder")?.textContent?.trim() ?? "";
  if (field && field.value !== chosen) field.value = chosen;
}

/** Bound to a list, lets what is chosen in it be read out. */
export const readOut = { onVnodeMounted: say, onVnodeUpdated: say };
