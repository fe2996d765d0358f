import type { Op } from "../api/client";
import { useSession } from "../stores/session";

/**
 * A point of a clip's level line that is being dragged. An edit names a point by the time at which it stands; while
 * edits are on their way that is known only when the next one's turn comes.
 */
export class MovingPoint {
  private readonly session = useSession();
  private readonly low: number;
  private readonly high: number;
  private sent: number | undefined;

  constructor(
    private readonly clip: string,
    private stands: number,
    private readonly moved: (at: number) => void,
  ) {
    const line = this.line();
    this.low = Math.max(0, ...line.filter((p) => p.at < stands).map((p) => p.at + 1));
    this.high = Math.min(Infinity, ...line.filter((p) => p.at > stands).map((p) => p.at - 1));
  }

  /** A time held between the neighbours that the point had when it was picked up. */
  held(at: number): number {
    return Math.round(Math.max(this.low, Math.min(at, this.high)));
  }

  /** The edit that moves it; undefined if it is not there any more. */
  move(at: number, level: number): Op | undefined {
    this.settle();
    if (!this.has(this.stands)) return undefined;
    this.sent = at;
    return { type: "move-points", moves: [{ clip: this.clip, from: this.stands, at, level }] };
  }

  /** An edit has been answered: the point stands where it was sent. */
  arrived(): void {
    this.settle();
    if (this.has(this.stands)) this.moved(this.stands);
  }

  private settle(): void {
    if (this.sent !== undefined && this.has(this.sent)) this.stands = this.sent;
  }

  private has(at: number): boolean {
    return this.line().some((p) => p.at === at);
  }

  private line(): { at: number }[] {
    return this.session.clip(this.clip)?.envelope ?? [];
  }
}
