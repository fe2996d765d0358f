<script setup lang="ts">
import { onClickOutside } from "@vueuse/core";
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";
import { useSession } from "../../stores/session";
import { useMenus, type Item } from "./menu";
import { useDeskContext } from "../state/context";

const desk = useDeskContext();
const session = useSession();
const { forClip, forLane } = useMenus(desk);
const list = useTemplateRef<HTMLElement>("list");
const place = ref({ left: 0, top: 0 });
let before: HTMLElement | undefined;

const groups = computed<Item[][]>(() => {
  const menu = desk.menu.value;
  if (!menu) return [];
  return menu.clip ? forClip(menu.clip, menu.at) : forLane(menu.track, menu.at);
});

function close(): void {
  if (!desk.menu.value) return;
  desk.menu.value = undefined;
  before?.focus();
}

function carryOut(item: Item): void {
  if (item.off) return;
  close();
  item.run();
}

function key(event: KeyboardEvent): void {
  const items = [...list.value!.querySelectorAll<HTMLElement>('[role="menuitem"]:not([aria-disabled="true"])')];
  const now = items.indexOf(document.activeElement as HTMLElement);
  const to = { ArrowDown: now + 1, ArrowUp: now - 1, Home: 0, End: items.length - 1 }[event.key];
  if (to !== undefined) items[(to + items.length) % items.length]?.focus();
  else if (event.key === "Escape" || event.key === "Tab") close();
  else {
    // The key of an act carries it out; the menu has said which it is.
    if (event.key.length === 1 && event.key !== " ") close();
    return;
  }
  event.preventDefault();
  event.stopPropagation();
}

watch(
  () => desk.menu.value,
  async (menu) => {
    if (!menu) return;
    before = document.activeElement as HTMLElement;
    place.value = { left: menu.x, top: menu.y };
    await nextTick();
    const box = list.value!.getBoundingClientRect();
    place.value = {
      left: Math.max(4, Math.min(menu.x, window.innerWidth - box.width - 8)),
      top: Math.max(4, Math.min(menu.y, window.innerHeight - box.height - 8)),
    };
    list.value!.querySelector<HTMLElement>('[role="menuitem"]')?.focus({ preventScroll: true });
  },
);
onClickOutside(list, () => (desk.menu.value = undefined));
</script>

<template>
  <div
    v-if="desk.menu.value"
    ref="list"
    class="menu"
    role="menu"
    :aria-label="
      desk.menu.value.clip
        ? `What can be done with ${session.clip(desk.menu.value.clip)?.name}`
        : 'What can be done here'
    "
    :style="{ left: `${place.left}px`, top: `${place.top}px` }"
    @keydown="key"
    @contextmenu.prevent
  >
    <div v-for="(group, i) in groups" :key="i" class="group" role="group">
      <button
        v-for="item in group"
        :key="item.name"
        role="menuitem"
        tabindex="-1"
        :aria-disabled="item.off ? true : undefined"
        :title="item.off"
        :aria-keyshortcuts="
          item.keys?.replace('Ctrl', 'Control').replace('Cmd', 'Meta').replaceAll(' ', '+') || undefined
        "
        @click="carryOut(item)"
      >
        <span>{{ item.name }}</span><kbd
          v-if="item.keys"
          class="figures"
          aria-hidden="true"
          :data-keys="item.keys"
        ></kbd>
      </button>
    </div>
  </div>
</template>

<style scoped>
.menu {
  position: fixed;
  z-index: 40;
  min-width: 250px;
  max-height: calc(100vh - 16px);
  overflow: auto;
  padding: 4px 0;
  border: 1px solid var(--rule-strong);
  border-radius: var(--radius);
  background: var(--sheet);
  box-shadow: 0 6px 24px var(--shade);
  font-size: var(--type-text);
}
.group + .group {
  margin-top: 4px;
  padding-top: 4px;
  border-top: 1px solid var(--rule);
}
button {
  display: flex;
  width: 100%;
  justify-content: space-between;
  gap: 24px;
  padding: 4px 14px;
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-align: left;
  cursor: pointer;
}
button:hover:not([aria-disabled="true"]),
button:focus-visible {
  background: var(--rule);
}
button[aria-disabled="true"] {
  color: var(--ink-soft);
  opacity: 0.6;
  cursor: default;
}
kbd::after {
  content: attr(data-keys);
}
kbd {
  color: var(--ink-soft);
  font-size: var(--type-small);
  line-height: 20px;
}
</style>
