import { nextTick } from "vue";
import { firstIn } from "../../talk/focus";
import type { DeskContext } from "../state/context";

/** Where the focus was on either side. */
let outside: HTMLElement | undefined;

/** From what is chosen into its panel, and back to it. */
export function cross(desk: DeskContext): void {
  const panel = () => document.querySelector<HTMLElement>("aside.panel");
  const now = document.activeElement as HTMLElement | null;
  if (now && panel()?.contains(now)) return back(desk);
  outside = now && now !== document.body ? now : undefined;
  desk.panelOpen.value = true;
  void nextTick(() => {
    const there = panel();
    const first = there?.querySelector<HTMLElement>("[role=tab][aria-selected=true]");
    (first ?? (there && firstIn(there)) ?? there)?.focus();
  });
}

/** Back to what is chosen, or to where one came from. */
function back(desk: DeskContext): void {
  if (!desk.timeline.value?.comeIn() && outside?.isConnected) outside.focus();
}
