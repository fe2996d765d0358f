import { reactive } from "vue";
import { RATE } from "../model/units";

/** Hears one sound by itself, from any point and up to another. Sounds are named by the address of their audio. */
export class Hearing {
  readonly state = reactive({ address: "", at: 0, problem: "" });
  private readonly element = new Audio();
  private until = Infinity;
  private raf = 0;

  /** What is done before anything is heard; it says whether that may be now. */
  constructor(private readonly before: () => boolean) {
    this.element.onended = () => this.stop();
    this.element.onerror = () => {
      if (!this.state.address) return;
      this.stop();
      this.state.problem = "This sound cannot be heard just now. Try again.";
    };
  }

  /** Hears a sound from a frame at 48 kHz on, or stops if it is being heard. */
  toggle(address: string, from = 0, to = Infinity): void {
    if (this.state.address === address) this.stop();
    else this.hear(address, from, to);
  }

  hear(address: string, from: number, to = Infinity): void {
    if (!this.before()) return;
    this.state.problem = "";
    const again = this.state.address === address;
    this.state.address = address;
    this.state.at = from;
    this.until = to;
    if (!again) this.element.src = `/api${address}`;
    this.element.currentTime = from / RATE;
    void this.element.play().catch(() => this.state.address === address && this.element.onerror?.("play"));
    cancelAnimationFrame(this.raf);
    this.raf = requestAnimationFrame(() => this.follow());
  }

  stop(): void {
    cancelAnimationFrame(this.raf);
    this.state.address = "";
    this.element.pause();
  }

  private follow(): void {
    if (this.element.readyState > 1) this.state.at = this.element.currentTime * RATE;
    if (this.state.at >= this.until) this.stop();
    else this.raf = requestAnimationFrame(() => this.follow());
  }
}
