/** Puts the focus into the first field of the dialog that has just opened, with what stands in it chosen. */
export function toFirstField(): void {
  const open = [...document.querySelectorAll<HTMLElement>(".el-dialog")].filter((d) => d.offsetParent !== null);
  const field = open
    .pop()
    ?.querySelector<HTMLInputElement>('input:not([type="checkbox"], [type="radio"], [type="file"]), textarea');
  field?.focus();
  field?.select();
}
