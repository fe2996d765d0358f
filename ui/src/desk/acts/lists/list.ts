import type { DeskContext } from "../../state/context";
import type { Act } from "./act";
import { choosing, cutting } from "./cutting";
import { gathering, hearing } from "./hearing";
import { levelling } from "./levelling";
import { finishing, going, looking } from "./looking";
import { useReasons } from "./reasons";

const lists = new WeakMap<DeskContext, Act[]>();

/** All that can be done on the desk: one list for keys, menus, the field that finds acts, and the sheet that explains them. */
export function actList(desk: DeskContext): Act[] {
  let list = lists.get(desk);
  if (!list) {
    const why = useReasons(desk);
    list = [
      ...hearing(desk, why),
      ...gathering(desk, why),
      ...choosing(desk, why),
      ...cutting(desk, why),
      ...levelling(desk, why),
      ...finishing(desk, why),
      ...looking(desk, why),
      ...going(desk),
    ];
    lists.set(desk, list);
  }
  return list;
}

/** The act of a name that code knows it by. */
export function actOf(desk: DeskContext, id: string): Act {
  const act = actList(desk).find((a) => a.id === id);
  if (!act) throw new Error(`there is no act “${id}”`);
  return act;
}
