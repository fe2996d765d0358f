import { computed } from "vue";
import type { DeskContext } from "../../desk/state/context";
import { useSession } from "../../stores/session";

/** The clip and the track that the panel is about. */
export function chosenOn(desk: DeskContext) {
  const session = useSession();
  const clip = computed(() => {
    const id = desk.selection.clips[0];
    const track = session.document?.tracks.find((t) => id && id in t.clips);
    return id && track ? { id, track, clip: track.clips[id]! } : undefined;
  });
  const track = computed(
    () => clip.value?.track ?? session.document?.tracks.find((t) => t.id === desk.selection.track),
  );
  return { clip, track };
}
