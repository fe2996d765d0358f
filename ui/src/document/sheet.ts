import { ref, shallowRef } from "vue";
import { api, ask, type Answer, type Refusal, type Schema } from "../api/client";
import { shared } from "./sharing";
import { patched, type Operation } from "./patch";

export type Document = Schema["Document"];
export type Change = Schema["ChangeEvent"];

/** What this window knows of an episode, all of one version. Nothing in it is ever changed in place. */
export interface Known {
  episode: Schema["Episode"];
  showName: string;
  document: Document;
  /** What follows from the document. */
  glance: Schema["Glance"];
  version: number;
  /** The names of the steps that can be undone and done again, or nothing. */
  undo: string;
  redo: string;
  keptAt: string;
  /** Whose the last step was, and what it was called, where there are several people. */
  by?: { id: string; name: string; step: string };
}

/**
 * The document of an episode as this window knows it. It belongs to one desk, and follows its edits also when that
 * desk has been left: an edit means what its hand saw there.
 */
export class Sheet {
  readonly known = shallowRef<Known>();
  /** The version that the edit on its way will make, or 0. */
  readonly posted = ref(0);
  /** The episode was removed, here or elsewhere. */
  readonly gone = ref(false);

  constructor(readonly episode: string) {}

  get version(): number {
    return this.known.value?.version ?? 0;
  }

  /** Asks for the whole document. A version never goes back. Throws a Refusal. */
  async reload(signal?: AbortSignal): Promise<void> {
    const params = { path: { episode: this.episode } };
    try {
      const there = await ask(api.GET("/episodes/{episode}", { params, signal }) as Promise<Answer<Schema["Desk"]>>);
      if (there.version < this.version) return;
      const { episode, showName, version, undo, redo } = there;
      const document = shared(this.known.value?.document, there.document);
      const glance = shared(this.known.value?.glance, there.glance);
      this.known.value = { episode, showName, document, glance, version, undo, redo, keptAt: episode.changed };
    } catch (error) {
      if ((error as Refusal).code === "not-found") this.gone.value = true;
      throw error;
    }
  }

  /** Takes in a change, whether it was made in this window or in another; says whether it could: otherwise all is to be asked for anew. */
  take(change: Change): boolean {
    const now = this.known.value;
    if (!now || change.version <= now.version) return true;
    if (change.version > now.version + 1 || !change.patch) return false;
    try {
      const document = patched(now.document, change.patch as Operation[]);
      const { version, undo, redo, changed } = change;
      const by = change.byId ? { id: change.byId, name: change.by ?? "", step: change.name } : undefined;
      const glance = shared(now.glance, change.glance);
      this.known.value = { ...now, document, glance, version, undo, redo, keptAt: changed, by };
      return true;
    } catch (error) {
      console.info("a change did not fit; the document is asked for anew", error);
      return false;
    }
  }

  /** Something else is said of the episode. */
  describe(episode: Schema["Episode"]): void {
    if (this.known.value) this.known.value = { ...this.known.value, episode };
  }
}
