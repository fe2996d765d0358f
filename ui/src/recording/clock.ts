/**
 * Says when a frame was captured. Stamps on captured sound jitter, and a busy machine hands it on late, never early:
 * so of all arrivals of late the earliest, against the frames counted, is the true one. Only the last moments count,
 * because a device that stumbles leaves frames out, and from then on is later for good.
 */
const SLOT_MS = 250;

export class CaptureClock {
  private frames = 0;
  private readonly earliest: { slot: number; zero: number }[] = [];

  constructor(
    private readonly rate: number,
    private readonly slots = 8,
  ) {}

  /** Takes note of frames that arrived at a time in ms. */
  note(frames: number, arrived: number): void {
    this.frames += frames;
    const zero = arrived - (this.frames * 1000) / this.rate;
    const slot = Math.floor(arrived / SLOT_MS);
    const last = this.earliest[this.earliest.length - 1];
    if (last?.slot === slot) last.zero = Math.min(last.zero, zero);
    else this.earliest.push({ slot, zero });
    while (this.earliest.length > this.slots) this.earliest.shift();
  }

  /** The frame that was captured at a time in ms. */
  frameAt(time: number): number {
    const zero = Math.min(...this.earliest.map((e) => e.zero));
    return Number.isFinite(zero) ? Math.round(((time - zero) * this.rate) / 1000) : 0;
  }
}
