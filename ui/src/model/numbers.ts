/** Numbers that come as base64: int16, little-endian. */
export function int16s(text: string | undefined): Int16Array {
  if (!text) return new Int16Array();
  const bytes = Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
  return new Int16Array(bytes.buffer);
}
