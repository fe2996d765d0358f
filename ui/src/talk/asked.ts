import {
  computed,
  getCurrentScope,
  onScopeDispose,
  ref,
  shallowRef,
  watch,
  type ComputedRef,
  type Ref,
  type ShallowRef,
} from "vue";
import { ask, type Answer, type Refusal } from "../api/client";

/** Milliseconds after which a question is put again that was not answered, or whose answer is not final. */
export const AGAIN_MS = 2000;
/** Milliseconds after which a question is taken for unanswered: one that comes with every move of a hand, and any other. */
const SHORT_MS = 20_000;
const LONG_MS = 120_000;
/** Why a question is not answered only for a while. */
const PASSING = ["unreachable", "database-away", "bucket-away", "not-ready", "being-measured", "not-signed-in"];

export interface Question<T> {
  /** What is asked: when it changes, the question is put anew at once. */
  what?: () => unknown;
  /** What the answer depends on besides: when it changes, the question is put anew when the hand rests. */
  when?: () => unknown;
  /** Puts the question; undefined: there is nothing to ask. */
  ask: (signal: AbortSignal) => Promise<Answer<T>> | undefined;
  /** Is told of every answer that counts. */
  take?: (answer: T) => void;
  /** For so many milliseconds. */
  rest?: number;
  /**
   * It is put anew only after the answer to the one before, which counts as well: of what is shown while a hand moves
   * something comes at all. Otherwise only the last one counts.
   */
  waits?: boolean;
  /** Whether an answer is the last word; one that is not is asked for again. */
  final?: (answer: T) => boolean;
}

export interface Asked<T> {
  /** The last answer, which stays while a newer one is on its way, or is missing for a while. */
  answer: ShallowRef<T | undefined>;
  asking: Ref<boolean>;
  /** Why there is no answer just now, and in words. */
  refusal: ShallowRef<Refusal | undefined>;
  problem: ComputedRef<string>;
  /**
   * Puts the question now. Resolves when it has been answered, or was not; where another question has overtaken it, when
   * that has been.
   */
  refresh: () => Promise<void>;
  /** Puts it when the hand rests. */
  soon: () => void;
  /** Gives it up, and forgets what is known. */
  forget: () => void;
}

/**
 * Something that is asked of the server and shown: asked for anew when what it depends on changes and the hand rests,
 * again after silence and as long as the answer is not final; and an answer that comes when it was left changes nothing.
 */
export function useAsked<T>(question: Question<T>): Asked<T> {
  const answer = shallowRef<T>();
  const asking = ref(false);
  const refusal = shallowRef<Refusal>();
  const problem = computed(() => refusal.value?.message ?? "");
  let mine: AbortController | undefined;
  let timer: ReturnType<typeof setTimeout> | undefined;
  let once = false;
  let latest: Promise<void> = Promise.resolve();

  function refresh(): Promise<void> {
    return (latest = put());
  }

  async function put(): Promise<void> {
    if (question.waits && asking.value) {
      once = true;
      return;
    }
    stop();
    const own = (mine = new AbortController());
    const patience = AbortSignal.timeout(question.waits ? SHORT_MS : LONG_MS);
    const request = question.ask(AbortSignal.any([own.signal, patience]));
    if (!request) return forget();
    asking.value = true;
    try {
      const there = await ask(request as Promise<Answer<T>>);
      if (own.signal.aborted) return overtaken(own);
      refusal.value = undefined;
      answer.value = there;
      question.take?.(there);
      if (question.final?.(there) === false) later(AGAIN_MS);
    } catch (error) {
      if (own.signal.aborted) return overtaken(own);
      refusal.value = error as Refusal;
      if (PASSING.includes(refusal.value.code)) later(AGAIN_MS);
      else answer.value = undefined; // what was answered before is not so any more
    } finally {
      if (!own.signal.aborted) {
        asking.value = false;
        if (once) void refresh();
      }
    }
  }

  /** Resolves when the question that has overtaken one is answered; at once where that was given up. */
  const overtaken = (own: AbortController) => (mine === own ? undefined : latest);

  const soon = () => later(question.rest ?? 0);

  function later(ms: number): void {
    clearTimeout(timer);
    timer = setTimeout(() => void refresh(), ms);
  }

  function stop(): void {
    clearTimeout(timer);
    mine?.abort();
    asking.value = once = false;
  }

  function forget(): void {
    stop();
    answer.value = undefined;
    refusal.value = undefined;
  }

  if (question.what || question.when) {
    if (question.what) watch(question.what, () => void refresh());
    if (question.when) watch(question.when, () => (question.rest ? soon() : void refresh()));
    queueMicrotask(() => left || void refresh()); // when all that it depends on is there
  }
  let left = false;
  if (getCurrentScope()) {
    onScopeDispose(() => {
      left = true;
      stop();
    });
  }
  return { answer, asking, refusal, problem, refresh, soon, forget };
}
