import { watch } from "vue";
import { useJobs } from "../stores/jobs";
import { useSession } from "../stores/session";
import { tell } from "../talk/tell";
import type { DeskContext } from "./context";

/** Says in words what went wrong, wherever on the desk it did. */
export function useMessages(desk: DeskContext): void {
  const jobs = useJobs();
  const session = useSession();
  /** What became of another episode of the show is said on the desk of that one. */
  const ours = (episode?: string) => !episode || episode === session.open?.episode;
  watch(
    () => desk.player.state.problem,
    (text) => text && tell(text, "warning"),
  );
  watch(
    () => Object.values(jobs.byID).filter((j) => j.state === "failed" && ours(j.episode)).length,
    (now, before) => {
      const where = desk.stage.value;
      if (now > before && where !== "gather" && where !== "handover") {
        tell("Something could not be taken in, rendered or mixed down; Gather and Hand over say why.");
      }
    },
  );
}
