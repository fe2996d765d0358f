import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { api, ask, refusalOf, type Part } from "../api/client";

/** A file on its way to the server. */
export interface Upload {
  key: number;
  name: string;
  show: string;
  sent: number;
  size: number;
  left: number;
  problem: string;
}

export interface Place {
  episode: string;
  track?: string;
  start?: number;
  part?: Part;
}

/** Files on their way in. What has arrived goes on as a job of the server. */
export const useUploads = defineStore("uploads", () => {
  const list = ref<Upload[]>([]);
  const requests = new Map<number, XMLHttpRequest>();
  const going = computed(() => list.value.filter((u) => !u.problem));
  let count = 0;

  function add(show: string, files: Iterable<File>, place?: Place): void {
    for (const file of files) {
      const key = ++count;
      list.value.push({ key, name: file.name, show, sent: 0, size: file.size, left: 0, problem: "" });
      send(key, show, file, place);
    }
  }

  // XMLHttpRequest, because fetch does not tell how much of a request has been sent.
  function send(key: number, show: string, file: File, place?: Place): void {
    const upload = list.value.find((u) => u.key === key)!;
    const query = new URLSearchParams({ file: file.name.slice(0, 300) });
    if (place) {
      query.set("episode", place.episode);
      query.set("start", String(Math.max(0, Math.round(place.start ?? 0))));
      if (place.track) query.set("track", place.track);
      if (place.part) query.set("part", place.part);
    }
    const request = new XMLHttpRequest();
    requests.set(key, request);
    const begun = performance.now();
    request.upload.onprogress = (event) => {
      upload.sent = event.loaded;
      const seconds = (performance.now() - begun) / 1000;
      upload.left = event.loaded > 0 ? (seconds * (event.total - event.loaded)) / event.loaded : 0;
    };
    request.onload = () => {
      if (request.status < 300) remove(key);
      else upload.problem = refusalOf(parse(request.responseText)).message;
    };
    request.onerror = () => (upload.problem = `${file.name}: the connection broke off. Drop the file again.`);
    request.open("POST", `/api/shows/${show}/sounds?${query}`);
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.send(file);
  }

  /** Cancels an upload, or takes a failed one off the list. */
  function remove(key: number): void {
    requests.get(key)?.abort();
    requests.delete(key);
    list.value = list.value.filter((u) => u.key !== key);
  }

  async function cancelJob(job: string): Promise<void> {
    await ask(api.POST("/jobs/{job}/cancel", { params: { path: { job } } }));
  }

  return { list, going, add, remove, cancelJob };
});

function parse(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return {};
  }
}
