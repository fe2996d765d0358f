import type { Block } from "./protocol";

/** A head that lies less than this many frames ahead is waited for; anything else is late and thrown away. */
const AHEAD = 48000;

/** The blocks of one stream that have not been played. */
export class Ring {
  private blocks: Block[] = [];
  private offset = 0;
  /** Frames that it has. */
  held = 0;
  ended = false;

  constructor(
    readonly stream: number,
    /** It takes over wherever it begins. */
    readonly jump = false,
  ) {}

  push(block: Block): void {
    if (block.samples.length === 0) this.ended = true;
    else this.blocks.push(block);
    this.held += block.samples.length / 2;
  }

  get head(): Block | undefined {
    return this.blocks[0];
  }

  /** The session frame of the next sample. */
  get frame(): number | undefined {
    const b = this.blocks[0];
    return b && b.frame + this.offset;
  }

  /** Takes one frame; false if there is none. */
  take(out: [number, number]): boolean {
    const b = this.blocks[0];
    if (!b) return false;
    out[0] = b.samples[2 * this.offset]!;
    out[1] = b.samples[2 * this.offset + 1]!;
    this.held--;
    if (++this.offset * 2 === b.samples.length) {
      this.blocks.shift();
      this.offset = 0;
    }
    return true;
  }

  /** Throws away what lies before a session frame; true if the ring now begins with it. */
  seek(frame: number): boolean {
    for (let b = this.blocks[0]; b; b = this.blocks[0]) {
      const start = b.frame + this.offset;
      const end = b.frame + b.samples.length / 2;
      if (start <= frame && frame < end) {
        this.offset += frame - start;
        this.held -= frame - start;
        return true;
      }
      if (start > frame && start - frame < AHEAD) return false;
      this.held -= end - start;
      this.blocks.shift();
      this.offset = 0;
    }
    return false;
  }
}
