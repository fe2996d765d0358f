import { ElMessage } from "element-plus";
import { defineStore } from "pinia";
import { ref } from "vue";
import { api, ask, type Schema } from "../api/client";
import { useSession } from "./session";

/** What takes long and is under way for the show: imports, mixdowns, takes that become sounds. */
export const useJobs = defineStore("jobs", () => {
  const session = useSession();
  const byID = ref<Record<string, Schema["JobEvent"]>>({});

  async function refresh(): Promise<void> {
    const desk = session.open;
    if (!desk?.show) return;
    const path = { show: desk.show };
    await desk.load(
      "jobs",
      (signal) => api.GET("/shows/{show}/jobs", { params: { path }, signal }),
      (there) => (byID.value = Object.fromEntries((there ?? []).map((j) => [j.id, j]))),
    );
  }

  function hear(job: Schema["JobEvent"]): void {
    if (job.kind === "open" && job.state === "done" && byID.value[job.id]?.state !== "done") {
      ElMessage.success(`${job.name} is an episode of its own now. It is on the shelf.`);
    }
    byID.value[job.id] = job;
  }

  async function cancel(job: string): Promise<void> {
    await session.attempt(api.POST("/jobs/{job}/cancel", { params: { path: { job } } }));
  }

  /** Takes the message of a job that failed off the list, for good. */
  async function putAway(job: string): Promise<void> {
    delete byID.value[job];
    await ask(api.POST("/jobs/{job}/put-away", { params: { path: { job } } })).catch(() => undefined);
  }

  /** Begins a job anew that was given up. */
  async function again(job: string): Promise<void> {
    await session.attempt(api.POST("/jobs/{job}/again", { params: { path: { job } } }));
    await refresh();
  }

  return { byID, refresh, hear, cancel, putAway, again, leave: () => (byID.value = {}) };
});
