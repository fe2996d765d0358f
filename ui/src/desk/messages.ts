import { watch } from "vue";
import { useJobs } from "../stores/jobs";
import { tell } from "../talk/tell";
import type { DeskContext } from "./state/context";

/** Says in words what went wrong, wherever on the desk it did. */
export function useMessages(desk: DeskContext): void {
  const jobs = useJobs();
  watch(
    () => desk.player.state.problem,
    (text) => text && tell(text, "warning"),
  );
  watch(
    () => jobs.here.filter((j) => j.state === "failed").length,
    (now, before) => {
      const where = desk.stage.value;
      if (now > before && where !== "gather" && where !== "handover") {
        tell("Something could not be taken in, rendered or mixed down; Gather and Hand over say why.");
      }
    },
  );
}
