import { ref } from "vue";

/**
 * What is read out to those who do not see it: what was done, and how far long work is. One voice says it, one thing after the
 * other; while a take is recorded or the mix is heard it is silent but for what went wrong.
 */
export const said = ref<{ text: string; id: number }[]>([]);

/** How many stay to be read, and for how long. */
const MOST = 4;
const STAY = 9000;

let hushed = () => false;
let count = 0;

/** Says when nothing is to be read out: while something is heard. */
export function hushWhile(when: () => boolean): void {
  hushed = when;
}

export function announce(text: string, urgent = false): void {
  if (!text || (hushed() && !urgent)) return;
  if (said.value.at(-1)?.text === text) said.value = said.value.slice(0, -1);
  const id = ++count;
  said.value = [...said.value.slice(1 - MOST), { text, id }];
  window.setTimeout(() => (said.value = said.value.filter((s) => s.id !== id)), STAY);
}

/** Announces how far something is: its start, each quarter, its end. */
export function quarters(what: string): (part: number | undefined) => void {
  let told = -1;
  return (part) => {
    if (part === undefined) return;
    const quarter = Math.floor(Math.min(1, part) * 4);
    if (quarter <= told) return;
    if (told < 0 && quarter === 0) announce(`${what} begins.`);
    else if (quarter > 0 && quarter < 4) announce(`${what}: ${quarter * 25} %.`);
    told = quarter;
  };
}
