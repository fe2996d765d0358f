import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { api, type Schema } from "../api/client";
import { useAsked } from "../talk/asked";
import { useSession } from "./session";
import { tell } from "../talk/tell";

/** What takes long and is under way for the show: imports, mixdowns, takes that become sounds. */
export const useJobs = defineStore("jobs", () => {
  const session = useSession();
  const byID = ref<Record<string, Schema["JobEvent"]>>({});

  /** Those whose message was put away here. */
  const away = new Set<string>();
  const { refresh, forget } = useAsked<Schema["JobEvent"][] | null>({
    ask: (signal) => {
      const show = session.open?.show;
      return show ? api.GET("/shows/{show}/jobs", { params: { path: { show } }, signal }) : undefined;
    },
    take: (there) => {
      byID.value = Object.fromEntries((there ?? []).filter((j) => !away.has(j.id)).map((j) => [j.id, j]));
    },
  });

  /** Those of the episode on the desk, and of no episode: what becomes of another is said on the desk of that one. */
  const here = computed(() =>
    Object.values(byID.value).filter((j) => !j.episode || j.episode === session.open?.episode),
  );

  function hear(job: Schema["JobEvent"]): void {
    if (job.kind === "open" && job.state === "done" && byID.value[job.id]?.state !== "done") {
      tell(`${job.name} is an episode of its own now. It is on the shelf.`, "success");
    }
    if (!away.has(job.id)) byID.value[job.id] = job;
  }

  async function cancel(job: string): Promise<void> {
    await session.attempt(api.POST("/jobs/{job}/cancel", { params: { path: { job } } }));
  }

  /** Takes the message of a job that failed off the list, for good: also in a list that was asked for before. */
  async function putAway(job: string): Promise<void> {
    away.add(job);
    delete byID.value[job];
    if (await session.attempt(api.POST("/jobs/{job}/put-away", { params: { path: { job } } }))) return;
    away.delete(job);
    await refresh();
  }

  /** Begins a job anew that was given up. */
  async function again(job: string): Promise<void> {
    away.delete(job);
    await session.attempt(api.POST("/jobs/{job}/again", { params: { path: { job } } }));
    await refresh();
  }

  function leave(): void {
    forget();
    byID.value = {};
  }

  return { byID, here, refresh, hear, cancel, putAway, again, leave };
});
