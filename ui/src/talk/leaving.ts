/** Reasons for which the page is not to be closed without a question. */
const reasons: (() => boolean)[] = [];

/** Has the browser ask before the page is closed, as long as there is a reason. */
export function holdPage(reason: () => boolean): void {
  reasons.push(reason);
}

globalThis.addEventListener?.("beforeunload", (event) => {
  if (reasons.some((r) => r())) event.preventDefault();
});
