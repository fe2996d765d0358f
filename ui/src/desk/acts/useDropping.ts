import { useEventListener } from "@vueuse/core";
import { ref, type Ref } from "vue";
import { api } from "../../api/client";
import { useSession } from "../../stores/session";
import { useSounds } from "../../stores/sounds";
import { useUploads } from "../../stores/uploads";
import type { DeskContext } from "../state/context";

const OURS = ["application/x-ruvel-sound", "application/x-ruvel-piece"];

/** Where something that was dropped goes. */
interface Place {
  start: number;
  track?: string;
}

/** A sound or a piece that is dragged, with the stretch that was marked in it. */
interface Carried {
  sound?: string;
  piece?: string;
  from: number;
  to: number;
}

/** What is dragged over the desk from outside, and where it would go. */
export interface Dropping {
  files: number;
  /** Over the place where several are laid one after the other. */
  lined: boolean;
}

/** Where several files are laid one after the other, by its mark on the page. */
export const LINED = "[data-lined]";

/**
 * Takes in what is dropped anywhere in the window: what falls on a lane goes there, several files one after the other;
 * anything else onto tracks of its own from the start, or, on the place for that, voices one after the other on one
 * track. Files that come while the session is still being laid out wait for it.
 */
export function useDropping(
  desk: DeskContext,
  opened: () => Promise<void>,
): { dropping: Ref<Dropping | undefined>; takeFiles: (files: File[], at?: Place) => Promise<void> } {
  const session = useSession();
  const sounds = useSounds();
  const uploads = useUploads();
  const dropping = ref<Dropping>();
  /** Whether it was over the place for several when it moved last: that is gone from the page by the time it is dropped. */
  let lined = false;

  /** Whether something is for the desk; a text that is dragged within a field is not. */
  function isOurs(data: DataTransfer | null): boolean {
    const types = data?.types ?? [];
    return types.includes("Files") || OURS.some((t) => types.includes(t));
  }

  /** Whether the pointer is over an element that lies over the desk while something is dragged, and lets it through. */
  function isOver(event: DragEvent, css: string): boolean {
    const box = document.querySelector(css)?.getBoundingClientRect();
    const { clientX: x, clientY: y } = event;
    return !!box && x >= box.left && x <= box.right && y >= box.top && y <= box.bottom;
  }

  function over(event: DragEvent): void {
    if (!isOurs(event.dataTransfer)) return;
    event.preventDefault(); // otherwise the browser would leave the page and open the file
    const { types, items } = event.dataTransfer!;
    lined = isOver(event, LINED);
    dropping.value = types.includes("Files") ? { files: items.length, lined } : undefined;
  }

  function drop(event: DragEvent): void {
    dropping.value = undefined;
    const data = event.dataTransfer;
    if (!data || !isOurs(data)) return;
    event.preventDefault();
    const lane = event.target instanceof Element ? event.target.closest<HTMLElement>("[data-track]") : null;
    const start = lane ? Math.max(0, desk.time.frame(event.clientX - lane.getBoundingClientRect().left)) : 0;
    const at = { start, track: lane?.dataset.track };
    const [sound, piece] = OURS.map((type) => data.getData(type));
    if (sound) placeSound(JSON.parse(sound) as Carried, at);
    else if (piece) placePiece(JSON.parse(piece) as Carried, at);
    else if (lined) void layInARow([...data.files]);
    else if (data.files.length > 0) void layDown([...data.files], at);
  }

  /** Files that were chosen: of several it is asked how they are laid, where no track was named for them. */
  async function takeFiles(files: File[], at?: Place): Promise<void> {
    if (files.length < 2 || at?.track) return layDown(files, at);
    desk.question.value = {
      title: `${files.length} files`,
      fields: [],
      choices: [
        { name: "Each on a track of its own", value: "" },
        { name: "Voices one after the other on one track, in the order of their names", value: "lined" },
      ],
      verb: "Import",
      answer: (_, choice) => void (choice === "lined" ? layInARow(files) : layDown(files, at)),
    };
  }

  async function layDown(files: File[], at: Place = { start: 0 }, lined?: "voices"): Promise<void> {
    if (files.length === 0) return;
    await opened();
    const open = session.open;
    if (!open?.show) return; // it could not be opened, which has been said
    const row = lined ?? (files.length > 1 && at.track ? "all" : undefined);
    uploads.add(open.show, files, { episode: open.episode, lined: row, ...at });
    desk.stage.value = "gather";
    desk.gatherTab.value = "sounds";
  }

  /** Lays voices one after the other on a track for them that has nothing on it yet. */
  async function layInARow(files: File[]): Promise<void> {
    await opened();
    const free = () => session.document?.tracks.find((t) => t.part === "voice" && Object.keys(t.clips).length === 0);
    if (!free()) await session.edit({ type: "add-track", part: "voice" });
    const track = free()?.id;
    if (track) await layDown(files, { start: 0, track }, "voices");
  }

  const stretch = ({ from, to }: Carried) => (to > from ? { offset: from, length: to - from } : {});

  function placeSound(carried: Carried, at: Place): void {
    const known = sounds.byID(carried.sound!);
    if (!known) return;
    const { id, part, name } = known;
    void session.edit({ type: "insert-clip", sound: id, part, name, ...at, ...stretch(carried) });
  }

  function placePiece(carried: Carried, at: Place): void {
    if (!session.open) return;
    const path = { show: session.open.show, piece: carried.piece! };
    const body = { episode: session.open.episode, ...at, ...stretch(carried) };
    void session.attempt(api.POST("/shows/{show}/shelf/{piece}", { params: { path }, body }));
  }

  useEventListener(window, "dragover", over);
  useEventListener(window, "drop", drop);
  // Also of what a field of its own takes in, such as a picture.
  useEventListener(window, "drop", () => (dropping.value = undefined), { capture: true });
  useEventListener(window, "dragleave", (event: DragEvent) => !event.relatedTarget && (dropping.value = undefined));
  useEventListener(window, "blur", () => (dropping.value = undefined));
  return { dropping, takeFiles };
}
