/**
 * Cuts an answer that comes bit by bit into pieces. The cutter gets the bytes that are there and where the next piece
 * begins, takes it and says how long it was, or 0 if it has not come whole.
 */
export async function readPieces(
  body: ReadableStream<Uint8Array>,
  cut: (view: DataView<ArrayBuffer>, at: number) => number,
): Promise<void> {
  const reader = body.getReader();
  let held = new Uint8Array(0);
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    const bytes = new Uint8Array(held.length + value.length);
    bytes.set(held);
    bytes.set(value, held.length);
    const view = new DataView(bytes.buffer);
    let at = 0;
    for (let length = cut(view, at); length > 0; length = cut(view, at)) at += length;
    held = bytes.slice(at);
  }
}
