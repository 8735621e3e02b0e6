import type { FrameHeader } from "../../../api/client";

const HERE = /^(localhost|127(\.\d+){3}|\[::1\])$/;
const NARROW = 10_000; // bytes a millisecond; less than this takes longer than to pack a picture and unpack it
const TIMES = 3; // in a row, since a busy machine is slow for a moment

/** Whether the road to the service is wide enough for pictures that are not packed. It begins so where the service has an address
 * of this machine, and may turn out to be a tunnel to another. */
export class Road {
  wide: boolean;
  private slow = 0;
  private seq = -1;
  private at = 0;

  constructor(host: string) {
    this.wide = HERE.test(host);
  }

  left(seq: number, at: number): void {
    this.seq = seq;
    this.at = at;
  }

  arrived({ seq, packed, seconds }: Pick<FrameHeader, "seq" | "packed" | "seconds">, bytes: number, at: number): void {
    if (packed !== "rgba" || seq !== this.seq) return;
    const onTheWay = at - this.at - 1000 * seconds;
    this.slow = onTheWay > bytes / NARROW + 50 ? this.slow + 1 : 0;
    if (this.slow === TIMES) this.wide = false;
  }
}
