import { computed, ref } from "vue";
import { modified } from "../../model/machine";
import { useSession } from "../../stores/session";
import type { DeskContext } from "../state/context";
import { chooseTrack, type Held } from "../state/choosing";
import { startDrag } from "../widgets/drag";

/** Choosing a track by its card, several with Ctrl or Shift, and dragging those that are chosen to another place. */
export function useTrackOrder(desk: DeskContext, id: () => string, index: () => number) {
  const session = useSession();
  /** Where a dragged track would come to stand: above the track of this index, or below the last one. */
  const landing = ref<number>();

  /** The tracks that the menu means: this one, with the others if it is one of several that are chosen. */
  function meant(): string[] {
    const there = session.document?.tracks.map((t) => t.id) ?? [];
    const chosen = desk.selection.tracks.filter((t) => there.includes(t));
    return chosen.includes(id()) ? chosen : [id()];
  }

  /** Drags the chosen tracks to another place among the others. */
  function drag(event: PointerEvent): void {
    const rows = [...document.querySelectorAll<HTMLElement>(".lanes .track-row")];
    const middles = rows.map((r) => r.getBoundingClientRect()).map((b) => b.top + b.height / 2);
    let to: number | undefined;
    startDrag(event, {
      threshold: 6,
      scroll: () => undefined, // which the browser does
      move: ({ event: e }) => {
        to = middles.filter((m) => m < e.clientY).length;
        landing.value = to;
      },
      end: (moved) => {
        landing.value = undefined;
        const moving = meant();
        const all = session.document?.tracks.map((t) => t.id) ?? [];
        if (!moved || to === undefined) return;
        let before = all[to];
        while (before && moving.includes(before)) before = all[all.indexOf(before) + 1];
        void session.edit({ type: "move-tracks", tracks: moving, before });
      },
      click: (e) => select(e),
    });
  }
  const landingLine = computed(() => {
    if (landing.value === undefined) return undefined;
    const rows = [...document.querySelectorAll<HTMLElement>(".lanes .track-row")];
    const own = rows[index()]!.getBoundingClientRect().top;
    const row = rows[Math.min(landing.value, rows.length - 1)]!.getBoundingClientRect();
    return (landing.value < rows.length ? row.top : row.bottom) - own;
  });

  const select = (event?: Held) => chooseTrack(desk, session, id(), event);

  function press(event: PointerEvent): void {
    if ((event.target as HTMLElement).closest("input, .switch, .arm, .more, .fader, .el-slider")) {
      if (!desk.selection.tracks.includes(id())) select();
      return;
    }
    if (!modified(event) && !event.shiftKey && !desk.selection.tracks.includes(id())) select();
    drag(event);
  }

  return { meant, press, landingLine };
}
