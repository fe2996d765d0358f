import { fetchBytes } from "../api/ours";

/** The stand-in microphone: a media stream, made in the page, of somebody reading the sample script again and again. */
const PAUSE_SECONDS = 1.2;

export class StandIn {
  private readonly destination: MediaStreamAudioDestinationNode;
  private source: AudioBufferSourceNode | undefined;

  private constructor(
    private readonly context: AudioContext,
    private readonly reading: AudioBuffer,
  ) {
    this.destination = new MediaStreamAudioDestinationNode(context, { channelCount: 1, channelCountMode: "explicit" });
    this.read(context.currentTime);
  }

  static async open(context: AudioContext): Promise<StandIn> {
    const answer = await fetchBytes("/api/recording/stand-in");
    const read = await context.decodeAudioData(await answer.arrayBuffer());
    const whole = new AudioBuffer({
      length: read.length + PAUSE_SECONDS * context.sampleRate,
      sampleRate: context.sampleRate,
    });
    whole.copyToChannel(read.getChannelData(0), 0);
    return new StandIn(context, whole);
  }

  get stream(): MediaStream {
    return this.destination.stream;
  }

  /** Begins to read from the top at a moment of the context: at a whole frame, so that no sample is interpolated. */
  read(at: number): void {
    const moment = Math.ceil(at * this.context.sampleRate) / this.context.sampleRate;
    this.source?.stop(Math.max(0, moment));
    this.source = new AudioBufferSourceNode(this.context, { buffer: this.reading, loop: true });
    this.source.connect(this.destination);
    this.source.start(moment);
  }

  close(): void {
    this.source?.stop();
    this.source?.disconnect();
  }
}
