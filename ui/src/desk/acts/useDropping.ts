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

/**
 * Takes in what is dropped anywhere in the window: what falls on a lane goes there, anything else onto tracks of its
 * own from the start. Files that come while the session is still being laid out wait for it.
 */
export function useDropping(
  desk: DeskContext,
  opened: () => Promise<void>,
): { dropping: Ref<boolean>; takeFiles: (files: File[], at?: Place) => Promise<void> } {
  const session = useSession();
  const sounds = useSounds();
  const uploads = useUploads();
  const dropping = ref(false);

  /** Whether something is for the desk; a text that is dragged within a field is not. */
  function isOurs(data: DataTransfer | null): boolean {
    const types = data?.types ?? [];
    return types.includes("Files") || OURS.some((t) => types.includes(t));
  }

  function over(event: DragEvent): void {
    if (!isOurs(event.dataTransfer)) return;
    event.preventDefault(); // otherwise the browser would leave the page and open the file
    dropping.value = event.dataTransfer!.types.includes("Files");
  }

  function drop(event: DragEvent): void {
    dropping.value = false;
    const data = event.dataTransfer;
    if (!data || !isOurs(data)) return;
    event.preventDefault();
    const lane = event.target instanceof Element ? event.target.closest<HTMLElement>("[data-track]") : null;
    const start = lane ? Math.max(0, desk.time.frame(event.clientX - lane.getBoundingClientRect().left)) : 0;
    const at = { start, track: lane?.dataset.track };
    const [sound, piece] = OURS.map((type) => data.getData(type));
    if (sound) placeSound(JSON.parse(sound) as Carried, at);
    else if (piece) placePiece(JSON.parse(piece) as Carried, at);
    else if (data.files.length > 0) void takeFiles([...data.files], at);
  }

  async function takeFiles(files: File[], at: Place = { start: 0 }): Promise<void> {
    if (files.length === 0) return;
    await opened();
    const open = session.open;
    if (!open?.show) return; // it could not be opened, which has been said
    uploads.add(open.show, files, { episode: open.episode, ...at });
    desk.stage.value = "gather";
    desk.gatherTab.value = "sounds";
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
  useEventListener(window, "drop", () => (dropping.value = false), { capture: true });
  useEventListener(window, "dragleave", (event: DragEvent) => !event.relatedTarget && (dropping.value = false));
  useEventListener(window, "blur", () => (dropping.value = false));
  return { dropping, takeFiles };
}
