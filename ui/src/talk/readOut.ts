import type { VNode } from "vue";

/** Puts into the field of a list what is chosen in it, where it is read out; what is seen stands over it. */
function say(list: HTMLElement): void {
  const field = list.querySelector<HTMLInputElement>("input[readonly]");
  const chosen = list.querySelector(".el-select__placeholder")?.textContent?.trim() ?? "";
  if (field && field.value !== chosen) field.value = chosen;
}

/** The library empties the field whenever it draws the list again; what it draws is seen by its changes. */
function follow(vnode: VNode): void {
  const list = vnode.el as HTMLElement;
  say(list);
  new MutationObserver(() => say(list)).observe(list, {
    subtree: true,
    childList: true,
    characterData: true,
    attributes: true,
    attributeFilter: ["aria-expanded", "class"],
  });
}

/** Bound to a list, lets what is chosen in it be read out. */
export const readOut = { onVnodeMounted: follow };
