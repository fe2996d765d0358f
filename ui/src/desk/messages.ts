import { ElMessage } from "element-plus";
import { watch } from "vue";
import { useJobs } from "../stores/jobs";
import { useSession } from "../stores/session";
import type { DeskContext } from "./context";

/** Says in words what went wrong, wherever on the desk it did. */
export function useMessages(desk: DeskContext): void {
  const session = useSession();
  const jobs = useJobs();
  const say = (type: "error" | "warning", message: string) =>
    ElMessage({ type, message, duration: 7000, showClose: true, offset: 62, grouping: true });

  watch(
    () => session.problem,
    (problem) => problem && !session.gone && say("error", problem.message),
  );
  watch(
    () => desk.player.state.problem,
    (text) => text && say("warning", text),
  );
  watch(
    () => Object.values(jobs.byID).filter((j) => j.state === "failed").length,
    (now, before) => {
      const where = desk.stage.value;
      if (now > before && where !== "gather" && where !== "handover") {
        say("error", "Something could not be taken in, rendered or mixed down; Gather and Hand over say why.");
      }
    },
  );
}
