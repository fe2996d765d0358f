import { useEventListener, useMutationObserver } from "@vueuse/core";
import { nextTick, ref, watch, type Ref } from "vue";
import { modified } from "../../model/machine";
import { useSession } from "../../stores/session";
import { whenThere } from "../../talk/focus";
import type { DeskContext } from "../state/context";
import { chooseClip, chooseTrack, NO_KEYS } from "../state/choosing";

/*
 * The timeline is one stop of the Tab key, as the grid of the WAI-ARIA practices is: arrows go from cell to cell, Enter chooses
 * what is in focus and, where it is chosen, goes into it; Esc comes out. In the page a cell is what has `data-stop`, what
 * lies in it is in it or says so by `data-of`, and a row is what has `data-row`.
 */

/** What a person can come to with a key. */
const REACHED = "button, input, select, textarea, a[href], [tabindex]";

/** What lies in a row of a track, in the order of time: its card, then its clips and empty places. */
interface Cell {
  name: string;
  from: number;
  to: number;
}

const stopOf = (root: HTMLElement | null, name: string) =>
  root?.querySelector<HTMLElement>(`[data-stop="${CSS.escape(name)}"]`) ?? undefined;

/** What kind of thing a cell is, and its id. */
function partsOf(name: string): [kind: string, id: string] {
  const colon = name.indexOf(":");
  return colon < 0 ? [name, ""] : [name.slice(0, colon), name.slice(colon + 1)];
}

/** The cell that something in the page lies in. */
function cellOf(element: Element): string {
  const owner = element.closest<HTMLElement>("[data-stop], [data-of]");
  return owner?.dataset.stop ?? owner?.dataset.of ?? "";
}

/** Lets keys go about in the timeline. */
export function useGrid(desk: DeskContext, root: Readonly<Ref<HTMLElement | null>>) {
  const session = useSession();
  /** Where one is, or will be when Tab comes here, and the cell that one has gone into. */
  const here = ref("");
  const inside = ref("");
  /** The session time that going up and down stays at. */
  let column = 0;
  /** What the hand has touched leaves the arrows to the desk, until one comes with a key. */
  let touched = false;

  function rowOf(track: string): Cell[] {
    const t = session.document?.tracks.find((one) => one.id === track);
    if (!t) return [];
    const clips = Object.entries(t.clips).map(([id, c]) => ({
      name: `clip:${id}`,
      from: c.start,
      to: c.start + c.length,
    }));
    const places = Object.entries(session.document?.markers ?? {})
      .filter(([id, m]) => m.fills === track && session.glance?.empty.includes(id))
      .map(([id, m]) => ({ name: `place:${id}`, from: m.at, to: m.at + m.length }));
    const along = [...clips, ...places].sort((a, b) => a.from - b.from || a.to - b.to);
    return [{ name: `track:${track}`, from: -1, to: -1 }, ...along];
  }

  /** The row of a cell, which need not be in sight. */
  function rowNameOf(name: string): string {
    const [kind, id] = partsOf(name);
    if (kind === "track") return name;
    const track = kind === "clip" ? session.trackOfClip(id)?.id : session.document?.markers[id]?.fills;
    if ((kind === "clip" || kind === "place") && track) return `track:${track}`;
    return stopOf(root.value, name)?.closest<HTMLElement>("[data-row]")?.dataset.row ?? "";
  }

  /** The cells of a row: those of a track as its document has them, of another as they are in sight. */
  function cellsOf(row: string): Cell[] {
    if (row.startsWith("track:")) return rowOf(row.slice("track:".length));
    const there = root.value?.querySelector(`[data-row="${row}"]`)?.querySelectorAll<HTMLElement>("[data-stop]") ?? [];
    return [...there]
      .map((stop) => {
        const { left, right } = stop.getBoundingClientRect();
        const begin = left - (root.value?.querySelector(".lane, .ruler")?.getBoundingClientRect().left ?? 0);
        const [from, to] = [begin, begin + right - left].map((x) => desk.time.frame(x));
        return { name: stop.dataset.stop!, from: begin < 0 ? -1 : from!, to: begin < 0 ? -1 : to! };
      })
      .sort((a, b) => a.from - b.from);
  }

  /** Goes to a cell, and brings it into sight. */
  function go(cell: Cell): void {
    const { time } = desk;
    here.value = cell.name;
    inside.value = "";
    place = { row: rowNameOf(cell.name), from: cell.from };
    if (cell.from >= 0 && (cell.from >= time.end || cell.to <= time.start)) {
      time.show(cell.from - time.width * time.scale * 0.1);
    }
    whenThere(
      () => stopOf(root.value, cell.name),
      (stop) => {
        if (here.value !== cell.name) return;
        stop.focus({ preventScroll: true });
        stop.closest("[data-row]")?.scrollIntoView({ block: "nearest" });
      },
    );
  }

  function goAlong(by: number): void {
    const cells = cellsOf(rowNameOf(here.value));
    const at = cells.findIndex((c) => c.name === here.value);
    const next = cells[at < 0 ? 0 : at + by];
    if (!next) return;
    column = next.from;
    go(next);
  }

  function goAcross(by: number): void {
    const rows = [...(root.value?.querySelectorAll<HTMLElement>("[data-row]") ?? [])].map((r) => r.dataset.row!);
    let at = rows.indexOf(rowNameOf(here.value)) + by;
    while (rows[at] !== undefined && cellsOf(rows[at]!).length === 0) at += by;
    const cells = rows[at] === undefined ? [] : cellsOf(rows[at]!);
    // The one that lies there, or the nearest.
    const off = (c: Cell) => (c.from < 0 !== column < 0 ? Infinity : Math.max(0, c.from - column, column - c.to + 1));
    const next = cells.reduce<Cell | undefined>((best, c) => (best && off(best) <= off(c) ? best : c), undefined);
    if (next) go(next);
  }

  function goToEnd(last: boolean): void {
    const next = cellsOf(rowNameOf(here.value)).at(last ? -1 : 0);
    if (!next) return;
    column = next.from;
    go(next);
  }

  /** What is too narrow to be gone into is shown larger before. */
  function enterClip(stop: HTMLElement): void {
    const clip = session.clip(stop.dataset.clip ?? "");
    if (!clip || enter(stop.dataset.stop!)) return;
    desk.time.fit(clip.start - clip.length, clip.start + 2 * clip.length);
    const name = stop.dataset.stop!;
    whenThere(
      () => (enter(name) ? stopOf(root.value, name) : undefined),
      () => undefined,
    );
  }

  /** Goes into a cell: to the first thing in it. */
  function enter(name: string): boolean {
    inside.value = name;
    settle();
    const first = [...(root.value?.querySelectorAll<HTMLElement>(REACHED) ?? [])].find(
      (e) => e.dataset.stop === undefined && cellOf(e) === name && e.checkVisibility() && !e.matches(":disabled"),
    );
    if (first) first.focus({ preventScroll: true });
    else inside.value = "";
    return first !== undefined;
  }

  /** Enter chooses, and goes into what is chosen; says whether that meant anything here. */
  function take(stop: HTMLElement, more: boolean): boolean {
    const [kind, id] = partsOf(stop.dataset.stop!);
    const held = more ? { ...NO_KEYS, ctrlKey: true, metaKey: true } : NO_KEYS;
    const { selection } = desk;
    if (kind === "clip") {
      if (!more && selection.clips.includes(id)) return (enterClip(stop), true);
      chooseClip(desk, session, id, held);
      return true;
    }
    if (kind === "track") {
      const chosen = selection.tracks.includes(id) && selection.clips.length === 0;
      if (!more && chosen) return enter(stop.dataset.stop!);
      chooseTrack(desk, session, id, held);
      return true;
    }
    return !more && stop.dataset.holds !== undefined && enter(stop.dataset.stop!);
  }

  function key(event: KeyboardEvent): void {
    const at = event.target as HTMLElement;
    if (event.defaultPrevented || event.altKey || !(at instanceof Element)) return;
    if (done(event, at)) {
      event.preventDefault();
      event.stopPropagation();
    }
  }

  function done(event: KeyboardEvent, at: HTMLElement): boolean {
    if (at.dataset?.stop === undefined) {
      if (event.key !== "Escape" || !cellOf(at)) return false;
      inside.value = "";
      stopOf(root.value, cellOf(at))?.focus({ preventScroll: true });
      return true;
    }
    if (touched || at.matches("input")) return false;
    const ctrl = modified(event);
    if (event.shiftKey) return false;
    if (ctrl && event.key === " ") return take(at, true);
    if (ctrl && (event.key === "Home" || event.key === "End")) return (goToEnd(event.key === "End"), true);
    if (ctrl) return false;
    if (event.key === "Enter") return take(at, false);
    const along = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    const across = { ArrowUp: -1, ArrowDown: 1 }[event.key];
    if (along) goAlong(along);
    else if (across) goAcross(across);
    return !!along || !!across;
  }

  /** The one thing that Tab comes to, and what lies in the cell that one has gone into. */
  function settle(): void {
    const all = root.value?.querySelectorAll<HTMLElement>(REACHED) ?? [];
    const stop = stopOf(root.value, here.value) ?? stopOf(root.value, rowNameOf(here.value)) ?? first();
    for (const e of all) {
      const wanted = e === stop || (inside.value !== "" && e.dataset.stop === undefined && cellOf(e) === inside.value);
      if (e.tabIndex !== (wanted ? 0 : -1)) e.tabIndex = wanted ? 0 : -1;
    }
  }

  /** Where one comes first: to what is chosen. */
  function first(): HTMLElement | undefined {
    const { clips, track } = desk.selection;
    return (
      (clips[0] && stopOf(root.value, `clip:${clips[0]}`)) ||
      stopOf(root.value, `track:${track}`) ||
      (root.value?.querySelector<HTMLElement>('[data-stop^="track:"]') ??
        root.value?.querySelector<HTMLElement>("[data-stop]") ??
        undefined)
    );
  }

  /** Comes into the timeline with a key: to what is chosen, or to where one was. */
  function comeIn(): boolean {
    touched = false;
    const { clips, track } = desk.selection;
    const clip = clips.find((id) => session.clip(id));
    const name = clip ? `clip:${clip}` : here.value || (track ? `track:${track}` : "");
    const cell = cellsOf(rowNameOf(name)).find((c) => c.name === name);
    if (cell) go(cell);
    else first()?.focus();
    return cell !== undefined || first() !== undefined;
  }

  /** What had the focus is gone, whoever took it away: its neighbour has it, or the card of its track. */
  let place: { row: string; from: number } | undefined;
  watch(
    () => session.document,
    () => {
      if (!place || !here.value || stillThere(here.value)) return;
      const held = cellOf(document.activeElement ?? document.body) === here.value;
      const cells = cellsOf(place.row);
      const { from } = place;
      const next = cells.find((c) => c.to > from) ?? cells.at(-1);
      if (held && !touched && next) go(next);
      else here.value = inside.value = "";
    },
  );

  /** Whether a cell is one of the document yet; of what is none of it nothing is said. */
  function stillThere(name: string): boolean {
    const [kind, id] = partsOf(name);
    if (kind === "clip") return session.clip(id) !== undefined;
    if (kind === "track") return session.document?.tracks.some((t) => t.id === id) ?? false;
    return kind !== "place" || id in (session.document?.markers ?? {});
  }

  watch([here, inside], () => void nextTick(settle), { flush: "post" });
  watch(
    () => [desk.selection.clips[0], desk.selection.track],
    () => {
      if (!root.value?.contains(document.activeElement)) here.value = "";
      void nextTick(settle);
    },
  );
  useEventListener(root, "focusin", (event: FocusEvent) => {
    const at = event.target as HTMLElement;
    const cell = cellOf(at);
    if (!cell) return;
    if (here.value !== cell) {
      const row = rowNameOf(cell);
      column = cellsOf(row).find((c) => c.name === cell)?.from ?? -1;
      place = { row, from: column };
    }
    here.value = cell;
    inside.value = at.dataset.stop === undefined ? cell : "";
  });
  useEventListener(root, "keydown", key);
  useEventListener(root, "pointerdown", () => (touched = true), { capture: true });
  useEventListener(
    window,
    "keydown",
    (event: KeyboardEvent) => {
      if (event.key === "Tab" || event.key === "F6") touched = false;
    },
    { capture: true },
  );
  // A lane shows another time by itself; the browser scrolls none into sight.
  useEventListener(
    root,
    "scroll",
    ({ target }: Event) => {
      const box = target as HTMLElement;
      if (box.scrollLeft > 0) box.scrollLeft = 0;
    },
    { capture: true },
  );
  useMutationObserver(
    root,
    (changes) => {
      const fresh = (n: Node) => n instanceof Element && (n.matches(REACHED) || n.querySelector(REACHED) !== null);
      if (changes.some((c) => [...c.addedNodes].some(fresh) || [...c.removedNodes].some(fresh))) settle();
    },
    { childList: true, subtree: true },
  );

  return { comeIn };
}
