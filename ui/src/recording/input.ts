/** Opening an input: a device of this computer, or the stand-in microphone. */
import fallbackUrl from "./fallback.worklet.ts?worker&url";
import type { ToCapture } from "./protocol";

export const STAND_IN = "stand-in";
/** Whatever device the browser chooses. */
export const ANY = "any";

export interface Input {
  id: string;
  name: string;
}

/** Why an input cannot be used, in words. */
export class InputFault extends Error {}

interface Processor {
  readable: ReadableStream<AudioData>;
}
declare const MediaStreamTrackProcessor:
  (new (init: { track: MediaStreamTrack; maxBufferSize?: number }) => Processor) | undefined;

/** The inputs that can be chosen. Before the browser has been asked, devices have no names. */
export async function inputs(standIn: string): Promise<Input[]> {
  const found = (await navigator.mediaDevices?.enumerateDevices().catch(() => [])) ?? [];
  const devices = found
    .filter((d) => d.kind === "audioinput" && d.deviceId && d.deviceId !== "default" && d.deviceId !== "communications")
    .map((d, i) => ({ id: d.deviceId, name: d.label || `Microphone ${i + 1}` }));
  const any = devices.length === 0 ? [{ id: ANY, name: "Microphone of this computer" }] : [];
  return [...devices, ...any, { id: STAND_IN, name: standIn }];
}

/** True if the browser will hand a device over without asking. */
export async function granted(): Promise<boolean> {
  try {
    const answer = await navigator.permissions.query({ name: "microphone" as PermissionName });
    return answer.state === "granted";
  } catch {
    return false;
  }
}

/** Opens a device as it is: nothing is taken out of or added to what it hears. */
export async function openDevice(id: string, stereo: boolean): Promise<MediaStream> {
  if (!navigator.mediaDevices?.getUserMedia) {
    throw new InputFault("This browser lets a page use a microphone only over https or on this very computer.");
  }
  const audio: MediaTrackConstraints = {
    echoCancellation: false,
    noiseSuppression: false,
    autoGainControl: false,
    channelCount: stereo ? 2 : 1,
  };
  const open = (device?: MediaTrackConstraints) =>
    navigator.mediaDevices.getUserMedia({ audio: { ...audio, ...device } });
  try {
    if (id === ANY) return await open();
    return await open({ deviceId: { exact: id } }).catch((error: DOMException) => {
      // The browser may give a device another id once the page has been allowed to use it.
      if (error.name === "OverconstrainedError") return open({ deviceId: id });
      throw error;
    });
  } catch (error) {
    throw new InputFault(words(error));
  }
}

/** The id of the device that a stream comes from. */
export function deviceOf(stream: MediaStream): string {
  return stream.getAudioTracks()[0]?.getSettings().deviceId ?? "";
}

function words(error: unknown): string {
  switch ((error as DOMException).name) {
    case "NotAllowedError":
      return "The browser was told not to let this page use a microphone. Allow it by the sign at the left of the address bar, then try again. The stand-in microphone needs no permission.";
    case "NotFoundError":
    case "OverconstrainedError":
      return "There is no such microphone. Connect one, or choose another input.";
    case "NotReadableError":
    case "AbortError":
      return "The microphone cannot be opened; perhaps another program is using it. Close that, then try again.";
  }
  return `The microphone cannot be opened: ${String(error)}`;
}

/** Lets a worker read what a stream captures, bit for bit where the browser can. */
export async function connect(
  stream: MediaStream,
  worker: Worker,
  context: () => Promise<AudioContext>,
): Promise<() => void> {
  const track = stream.getAudioTracks()[0]!;
  if (typeof MediaStreamTrackProcessor !== "undefined") {
    const { readable } = new MediaStreamTrackProcessor({ track, maxBufferSize: 1000 });
    worker.postMessage({ type: "stream", readable } satisfies ToCapture, [readable]);
    return () => undefined;
  }
  const audio = await context();
  await audio.audioWorklet.addModule(fallbackUrl);
  const source = audio.createMediaStreamSource(stream);
  const node = new AudioWorkletNode(audio, "ruvel-fallback", { numberOfOutputs: 0 });
  const channel = new MessageChannel();
  worker.postMessage({ type: "port", port: channel.port1 } satisfies ToCapture, [channel.port1]);
  node.port.postMessage(channel.port2, [channel.port2]);
  source.connect(node);
  return () => {
    source.disconnect();
    channel.port1.close();
  };
}
