import { useIntervalFn, useThrottleFn } from "@vueuse/core";
import { onBeforeUnmount, watch } from "vue";
import { useMe } from "../people/me";
import { useOthers, WINDOW } from "../stores/others";
import { announce } from "../talk/announce";
import { tell } from "../talk/tell";
import type { DeskContext } from "./state/context";
import { dragged } from "./widgets/drag";

/** How often it is told at most where one is, and at least. */
const MOST_OFTEN = 800;
const LEAST_OFTEN = 6000;
/** So many clips are told of. */
const MOST = 50;

/** Tells the others on this desk where one is, where there are several people, and who comes and goes. */
export function useTogether(desk: DeskContext, episode: string): void {
  const me = useMe();
  if (!me.people) return;
  const others = useOthers();

  function say(gone = false): void {
    const chosen = desk.selection.clips.slice(0, MOST);
    const body = {
      window: WINDOW,
      at: Math.round(desk.playhead.value),
      playing: desk.player.state.playing,
      chosen,
      holds: dragged.value ? chosen : [],
      gone,
    };
    // What does not arrive is told again soon, and is worth no word.
    void fetch(`/api/episodes/${episode}/here`, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify(body),
      keepalive: true,
    }).catch(() => undefined);
  }

  const soon = useThrottleFn(() => say(), MOST_OFTEN, true);
  watch(
    () => [desk.playhead.value, desk.player.state.playing, desk.selection.clips.join(), dragged.value],
    () => void soon(),
  );
  useIntervalFn(
    () => {
      say();
      others.look();
    },
    LEAST_OFTEN,
    { immediateCallback: true },
  );
  // Who has just come is told at once who is here.
  watch(
    () => others.people.map((p) => p.person),
    (now, before) => {
      const names = (ids: string[]) => others.people.filter((p) => ids.includes(p.person)).map((p) => p.name);
      const fresh = now.filter((p) => !before.includes(p));
      if (fresh.length > 0) {
        void soon();
        announce(`${names(fresh).join(", ")} is here too.`);
      }
    },
  );
  // Two hands on one clip.
  watch(dragged, (on) => {
    const holder = on && desk.selection.clips.flatMap((c) => others.holding.get(c) ?? [])[0];
    if (holder) tell(`${holder.name} is moving this clip at this moment.`, "warning");
  });
  const leave = () => say(true);
  window.addEventListener("pagehide", leave);
  onBeforeUnmount(() => {
    window.removeEventListener("pagehide", leave);
    leave();
    others.leave();
  });
}
