/** Captures an input where the browser cannot hand its samples over directly. */
declare abstract class AudioWorkletProcessor {
  readonly port: MessagePort;
  abstract process(inputs: Float32Array[][]): boolean;
}
declare function registerProcessor(name: string, type: new () => AudioWorkletProcessor): void;
declare const sampleRate: number;

class Fallback extends AudioWorkletProcessor {
  private port2: MessagePort | undefined;

  constructor() {
    super();
    this.port.onmessage = (event: MessageEvent<MessagePort>) => (this.port2 = event.data);
  }

  process(inputs: Float32Array[][]): boolean {
    const input = inputs[0] ?? [];
    const channels = Math.min(2, input.length);
    if (channels === 0) return true;
    const samples = new Float32Array(input[0]!.length * channels);
    input.slice(0, 2).forEach((plane, c) => plane.forEach((v, i) => (samples[i * channels + c] = v)));
    // The worklet has no clock of its own that other threads know; the worker stamps what arrives.
    this.port2?.postMessage({ samples, channels, rate: sampleRate, arrived: 0 }, [samples.buffer]);
    return true;
  }
}

registerProcessor("ruvel-fallback", Fallback);
