/**
 * Says when a frame was captured. Stamps on captured sound jitter, and a busy machine hands it on late, never early:
 * so of all arrivals of the last seconds the earliest, against the frames counted, is the true one.
 */
export class CaptureClock {
  private frames = 0;
  private readonly earliest: { second: number; zero: number }[] = [];

  constructor(
    private readonly rate: number,
    private readonly seconds = 12,
  ) {}

  /** Takes note of frames that arrived at a time in ms. */
  note(frames: number, arrived: number): void {
    this.frames += frames;
    const zero = arrived - (this.frames * 1000) / this.rate;
    const second = Math.floor(arrived / 1000);
    const last = this.earliest[this.earliest.length - 1];
    if (last?.second === second) last.zero = Math.min(last.zero, zero);
    else this.earliest.push({ second, zero });
    while (this.earliest.length > this.seconds) this.earliest.shift();
  }

  /** The frame that was captured at a time in ms. */
  frameAt(time: number): number {
    const zero = Math.min(...this.earliest.map((e) => e.zero));
    return Number.isFinite(zero) ? Math.round(((time - zero) * this.rate) / 1000) : 0;
  }
}
