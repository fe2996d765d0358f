import { figure } from "../../model/units";

/** Leads from here on are told as no more than that. */
const MOST = 40;

/** A voice lead in LU, as it is told. */
export function leadText(value: number): string {
  return value >= MOST ? `${MOST}+` : figure(value);
}
