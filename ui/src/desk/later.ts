import { defineComponent, h, ref, shallowRef, type Component } from "vue";
import NotThere from "./NotThere.vue";

type Loading = () => Promise<{ default: Component }>;

/** What comes when it is opened, or beforehand when nothing else is to be done. */
const waiting: Loading[] = [];

/**
 * A view whose script comes when it is opened. One that does not come is said where it would stand; it is asked for anew
 * there, or when it is opened again.
 */
export function later(load: Loading): Component {
  waiting.push(load);
  const view = shallowRef<Component>();
  return defineComponent(() => {
    const missing = ref(false);
    async function fetch(): Promise<void> {
      missing.value = false;
      try {
        view.value = (await load()).default;
      } catch {
        missing.value = true;
      }
    }
    if (!view.value) void fetch();
    return () => (view.value ? h(view.value) : missing.value ? h(NotThere, { onAgain: fetch }) : null);
  });
}

/** Fetches, when the desk rests, what was left for later: opening it then needs no line. */
export async function fetchTheRest(): Promise<void> {
  await new Promise((rest) => ("requestIdleCallback" in window ? requestIdleCallback(rest) : setTimeout(rest, 1000)));
  for (const load of waiting.splice(0)) await load().catch(() => undefined);
}
