/** The switchboard of all windows of this browser, in a thread that they share. */
import { LOOK_MS, openStream, Switchboard, type FromWindow, type Window } from "./switchboard";

const board = new Switchboard(openStream);
setInterval(() => board.look(), LOOK_MS);

(self as unknown as { onconnect: (event: MessageEvent) => void }).onconnect = (event) => {
  const port = event.ports[0]!;
  const window: Window = { tell: (message) => port.postMessage(message) };
  port.onmessage = ({ data }: MessageEvent<FromWindow>) => board.hear(window, data);
};
