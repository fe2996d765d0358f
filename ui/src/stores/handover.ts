import { defineStore } from "pinia";
import { computed, reactive, ref, shallowRef, watch } from "vue";
import { api, type Schema } from "../api/client";
import { useLists } from "./lists";
import { useAsked } from "../talk/asked";
import { useSession } from "./session";

export interface WantedFile {
  /** By which it is known on the page. */
  id: number;
  format: string;
  quality: string;
  rate: number;
  channels: 1 | 2;
}

/** Milliseconds for which the hand rests before it is asked anew what handing over will come to. */
const REST_MS = 300;

/** What is to be made of the episode on the desk, and what that will come to. */
export const useHandover = defineStore("handover", () => {
  const session = useSession();
  const lists = useLists();
  const files = reactive<WantedFile[]>([]);
  const stretch = ref<"whole" | "range" | "chapters">("whole");
  const level = ref<"target" | "as-it-is">("target");
  /** How loud chapters are that become files of their own. */
  const balance = ref<"as-in-the-show" | "each-by-itself">("as-in-the-show");
  const ahead = shallowRef<Schema["Ahead"]>();
  const { problem, refresh, soon, forget } = useAsked<Schema["Ahead"]>({
    ask: (signal) => {
      const episode = session.open?.episode;
      if (!episode) return undefined;
      const query = {
        rev: session.version,
        chapters: stretch.value === "chapters",
        asItIs: level.value === "as-it-is",
        files: files.map((f) => `${f.format}:${f.quality}:${f.rate}:${f.channels}`),
        ...part.value,
      };
      return api.GET("/episodes/{episode}/handover", { params: { path: { episode }, query }, signal });
    },
    // What the target will take stands until the mix has been measured again.
    take: (there) => {
      ahead.value = there.measured
        ? there
        : { ...there, ...(ahead.value?.outlook && { outlook: ahead.value.outlook }) };
    },
    final: (there) => there.measured || session.length === 0,
    rest: REST_MS,
    waits: true,
  });
  /** Why the files were not made: what the check says must be mended first. */
  const musts = ref<string[]>([]);
  /** The range that is selected on the timeline, in frames. */
  const selected = ref<{ from: number; to: number }>();
  let ids = 0;

  const part = computed(() =>
    stretch.value === "range" && selected.value
      ? { from: Math.round(selected.value.from), to: Math.round(selected.value.to) }
      : undefined,
  );

  function add(format = lists.formats[0]?.key ?? "mp3"): void {
    const file: WantedFile = { id: ++ids, format: "", quality: "", rate: 0, channels: 2 };
    files.push(file);
    choose(files[files.length - 1]!, format);
  }

  /** Another format, with what is usual of it. */
  function choose(file: WantedFile, key: string): void {
    const format = lists.formats.find((f) => f.key === key);
    file.format = key;
    file.quality = format?.qualities[0]?.key ?? "";
    file.rate = format?.rates.includes(file.rate) ? file.rate : (format?.rates[0] ?? 48000);
  }

  function leave(): void {
    forget();
    files.splice(0);
    stretch.value = "whole";
    level.value = "target";
    ahead.value = undefined;
    musts.value = [];
  }

  watch([() => JSON.stringify(files), stretch, level, part], soon);

  return { files, stretch, level, balance, ahead, problem, musts, selected, part, add, choose, soon, refresh, leave };
});
