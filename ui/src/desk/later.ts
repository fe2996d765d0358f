import { defineAsyncComponent, type Component } from "vue";
import NotThere from "./NotThere.vue";

type Loaded = Promise<{ default: Component }>;

/** What comes when it is opened, or beforehand when nothing else is to be done. */
const waiting: (() => Promise<unknown>)[] = [];

/** A view whose script comes when it is opened. One that does not come is said where it would stand, and asked for again there. */
export function later(load: () => Loaded): Component {
  waiting.push(load);
  return defineAsyncComponent({ loader: load, errorComponent: NotThere, delay: 0 });
}

/** Fetches, when the desk rests, what was left for later: opening it then needs no line. */
export async function fetchTheRest(): Promise<void> {
  await new Promise((rest) => ("requestIdleCallback" in window ? requestIdleCallback(rest) : setTimeout(rest, 1000)));
  for (const load of waiting.splice(0)) await load().catch(() => undefined);
}
