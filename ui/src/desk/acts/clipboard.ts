import { useEventListener } from "@vueuse/core";
import { ref, type Ref } from "vue";
import { api, ask, type Schema } from "../../api/client";
import type { useSession } from "../../stores/session";
import { tell } from "../../talk/tell";

/** What was copied last, shared by all windows of this browser. */
const KEY = "ruvel-copied";

export type Copied = Schema["Fragment"];

function read(): Copied | undefined {
  try {
    return JSON.parse(localStorage.getItem(KEY) ?? "null") ?? undefined;
  } catch {
    return undefined; // what cannot be read is nothing
  }
}

const copied: Ref<Copied | undefined> = ref();

/** Follows what is copied in this window and in others. */
export function useCopied(): Ref<Copied | undefined> {
  copied.value = read();
  useEventListener(window, "storage", (event: StorageEvent) => {
    if (event.key === KEY) copied.value = read();
  });
  return copied;
}

/** Copies clips or a stretch of time, and says whether that was possible. */
export async function copy(session: ReturnType<typeof useSession>, body: Schema["Copying"]): Promise<boolean> {
  if (!session.open) return false;
  const params = { path: { episode: session.open.episode } };
  try {
    copied.value = await ask(api.POST("/episodes/{episode}/fragments", { params, body }));
    localStorage.setItem(KEY, JSON.stringify(copied.value));
    return true;
  } catch (error) {
    tell(error);
    return false;
  }
}

export function whatWasCopied(): Copied | undefined {
  return (copied.value ??= read());
}
