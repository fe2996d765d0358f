import { ElMessage } from "element-plus";

/**
 * The one way to say that something that was done here did not come off, wherever on the page one is. What was asked
 * for and did not come is said where it would stand.
 */
export function tell(what: unknown, type: "error" | "warning" | "success" = "error"): void {
  const message = what instanceof Error ? what.message : String(what);
  ElMessage({ type, message, duration: type === "success" ? 4000 : 7000, showClose: true, offset: 62, grouping: true });
}
