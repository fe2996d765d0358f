/** Groups of acts, in the order of the work. */
export const GROUPS = [
  "Hear",
  "Gather",
  "Choose",
  "Cut and move",
  "Level and balance",
  "Check and hand over",
  "See",
  "Go to",
] as const;
type Group = (typeof GROUPS)[number];

/** Something that can be done on the desk: keys, menus, the field that finds acts and the sheet of keys are made of them. */
export interface Act {
  id: string;
  name: string;
  group: Group;
  /** As the library of keys writes them, by themselves; a person can choose others. */
  keys: string[];
  /** Other words by which it is found. */
  words?: string;
  /** One of the ten to learn first. */
  first?: true;
  /** The key comes along where how long it is held matters. */
  run: (event?: KeyboardEvent) => void;
  /** Why it cannot be done now, if it cannot. */
  off?: () => string | undefined;
}

type More = Partial<Pick<Act, "words" | "first" | "off">>;

/** Makes the acts of a group; several keys are parted by a bar. */
export function inGroup(group: Group) {
  return (id: string, keys: string, name: string, run: Act["run"], more: More = {}): Act => ({
    id,
    name,
    group,
    keys: keys ? keys.split("|") : [],
    run,
    ...more,
  });
}
