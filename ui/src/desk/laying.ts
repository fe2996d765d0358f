import { useElementSize } from "@vueuse/core";
import { computed, ref, watch, type Ref } from "vue";
import type { Schema } from "../api/client";
import { useSession } from "../stores/session";
import type { DeskContext, Stage } from "./state/context";
import { cardWidth } from "./state/heights";

/** What the strip takes under the voices. */
const LEAD_HEIGHT = 63;

/** The first empty place, where an episode that began as a layout waits to be gone on with. */
function firstPlace(document: Schema["Document"], glance: Schema["Glance"] | undefined): Schema["Marker"] | undefined {
  const waiting = (glance?.empty ?? []).flatMap((id) => document.markers[id] ?? []);
  return waiting.filter((m) => m.fills).sort((a, b) => a.at - b.at)[0];
}

/** Lays the session out in the room that there is, as soon as both are there. */
export function useLaying(desk: DeskContext, lanes: Ref<HTMLElement | null>) {
  const session = useSession();
  const { width, height } = useElementSize(lanes);
  /** The stage that the desk was laid out with, once it is: with all of the show in sight. */
  let begunWith: Stage | undefined;
  const laidOut = ref(false);
  watch(
    width,
    (w) => {
      desk.time.width = Math.max(100, w - cardWidth());
      if (w === 0 || laidOut.value || !session.document) return;
      laidOut.value = true;
      desk.time.fit(0, Math.max(session.length, 48000 * 60));
      const untouched = desk.stage.value === "gather" && desk.gatherTab.value === "sounds" && !desk.recorder.busy;
      const place = firstPlace(session.document, session.glance);
      if (place) Object.assign(desk.selection, { track: place.fills, tracks: [place.fills] });
      if (place) desk.seek(place.at);
      else if (session.length > 0 && untouched) desk.stage.value = "balance";
      begunWith = desk.stage.value;
    },
    { immediate: true },
  );
  /** The track under which the voice lead is shown: the last one for voices, if there is one. */
  const lastVoice = computed(() => (session.document?.tracks ?? []).map((t) => t.part).lastIndexOf("voice"));
  watch(
    [height, () => session.document?.tracks, () => lastVoice.value >= 0],
    ([room, tracks, strip]) => desk.heights.fit(room - (strip ? LEAD_HEIGHT : 0), tracks ?? []),
    { immediate: true },
  );

  /** Goes to another stage if nobody has gone to one by hand. */
  function begin(stage: Stage): void {
    if (desk.stage.value === begunWith) desk.stage.value = stage;
  }

  return { laidOut, lastVoice, begin };
}
