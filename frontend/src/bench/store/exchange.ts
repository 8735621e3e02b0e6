import type { FrameHeader, PreviewFailure, Rig } from "../../api/client";
import type { Wish } from "./wish";

const QUICK = 160; // ms within which one wish follows another while something moves that the hand does not hold
const STILL = 320; // ms without a change after which a hand that holds something counts as resting
const STAGES_EVERY = 400; // ms between the small pictures of the stages while something is moved
const TOO_LARGE = 1009; // RFC 6455: a message that is too big to process

/** What is to be done now: a request, a later look, or nothing. */
export type Next = { do: "nothing" } | { do: "wait"; ms: number } | { do: "send"; draft: boolean; quick: boolean };

export interface Hand {
  /** Something is being moved. */
  moving: boolean;
  /** Only drafts are wanted. */
  draftsOnly: boolean;
}

interface Sent {
  seq: number;
  wish: Wish;
  draft: boolean;
  quick: boolean;
  at: number;
  /** The whole rig went with it, and not its changes. */
  whole: boolean;
}

const NOTHING: Next = { do: "nothing" };

/** Whether two wishes are for the same, but for the frame of a reel. */
export function sameButFrame(a: Wish, b: Wish): boolean {
  return (
    a.rig === b.rig &&
    a.lead === b.lead &&
    a.painting === b.painting &&
    a.light === b.light &&
    a.clipping === b.clipping &&
    a.hdr === b.hdr &&
    a.seeing === b.seeing &&
    JSON.stringify([a.view, a.show]) === JSON.stringify([b.view, b.show])
  );
}

function same(a: Wish, b: Wish): boolean {
  return a.frame === b.frame && sameButFrame(a, b);
}

/** The exchange of requests and pictures with the service: what has been sent, what has come, and what follows from it.
 *
 * One request is on its way at a time, and the newest wish waits for its answer, so a steady drag always paints and never
 * queues; an exact picture gives way to the next wish at once. It has no clock, no timer and no link of its own: times are in ms,
 * and whoever drives it does what `next` says. */
export class Exchange {
  /** The rig that the service knows, and the request that it came with. */
  known: { seq: number; rig: Rig } | null = null;
  private connected = false;
  private seq = 0;
  private last: Sent | null = null;
  private before: Sent | null = null;
  private waiting: Sent | null = null;
  private refused: Wish | null = null;
  private wished: Wish | null = null;
  private changedAt = 0;
  private stagesAt = -Infinity;
  /** The newest request whose exact picture is on the screen. */
  private exactly = 0;
  /** The newest request of which each part has been shown: decoding takes different times, and nothing older follows. */
  private readonly newest: Record<string, number> = {};

  opened() {
    this.connected = true;
    this.known = this.last = this.waiting = null;
  }

  /** The link has closed. Gives whether that was because the rig is too large, which is then not sent again. */
  closed(code: number): boolean {
    this.connected = false;
    if (code === TOO_LARGE) this.refused = this.last?.wish ?? null;
    return code === TOO_LARGE;
  }

  /** Takes a wish in. Gives whether it differs from the one before. */
  changed(wish: Wish, now: number): boolean {
    if (this.wished && same(wish, this.wished)) return false;
    this.wished = wish;
    this.changedAt = now;
    return true;
  }

  next(wish: Wish | null, now: number, hand: Hand): Next {
    if (!wish || !this.connected || (this.refused && same(wish, this.refused))) return NOTHING;
    const last = this.last;
    const held = hand.moving || wish.painting !== null;
    if (!last || !same(wish, last.wish)) {
      if (this.waiting?.draft) return NOTHING; // its answer looks again
      const quick = last !== null && now - last.at < QUICK;
      return { do: "send", draft: held || quick, quick };
    }
    if (!last.draft || this.waiting || hand.draftsOnly) return NOTHING;
    // Nothing has changed since: exact once the hand has let go, or holds still.
    const rest = (held ? STILL : last.quick ? QUICK : 0) - (now - this.changedAt);
    return rest > 0 ? { do: "wait", ms: rest } : { do: "send", draft: false, quick: false };
  }

  /** Whether the small pictures of the stages are to come with a request that is made now. */
  takesStages(draft: boolean, now: number): boolean {
    if (draft && now - this.stagesAt <= STAGES_EVERY) return false;
    this.stagesAt = now;
    return true;
  }

  /** Notes a request that is being sent. Gives its number. */
  send(wish: Wish, { draft, quick }: { draft: boolean; quick: boolean }, whole: boolean, now: number): number {
    const seq = ++this.seq;
    this.known = { seq, rig: wish.rig };
    this.before = this.last;
    this.last = this.waiting = { seq, wish, draft, quick, at: now, whole };
    return seq;
  }

  /** Whether this was the answer that was waited for. */
  answered(seq: number): boolean {
    if (seq !== this.waiting?.seq) return false;
    this.waiting = null;
    return true;
  }

  /** Whether a part of a picture is newer than what is shown of it; it is then noted as shown. */
  isNews(header: FrameHeader): boolean {
    if (header.seq < (this.newest[header.part] ?? 0)) return false;
    this.newest[header.part] = header.seq;
    return true;
  }

  /** Whether nothing has changed since a picture was asked for. */
  isFresh(header: FrameHeader, wish: Wish | null): boolean {
    const last = this.last;
    return header.seq === last?.seq && wish?.rig === last.wish.rig && wish.frame === last.wish.frame;
  }

  /** What a picture was asked for, which may come after the next is asked for; null for an older one. */
  askedFor(header: FrameHeader): Wish | null {
    return [this.last, this.before].find((sent) => sent?.seq === header.seq)?.wish ?? null;
  }

  /** What came last is not used, so that it may be asked for again. */
  discarded() {
    if (!this.waiting) this.last = null;
  }

  /** Something else is on the screen now: whatever is wished for next is asked for. */
  covered() {
    this.last = null;
    this.exactly = 0;
  }

  /** Notes that a picture is on the screen. */
  shown(header: FrameHeader) {
    if (header.exact) this.exactly = header.seq;
  }

  /** Whether the exact picture of a wish is on the screen; also after a wish that was gone before it was sent. */
  showsExactly(wish: Wish | null): boolean {
    const last = this.last;
    return this.exactly === last?.seq && wish !== null && same(wish, last.wish);
  }

  /** Takes a failure in. Gives whether the wish is to be sent once more: what could not be made of changes is sent whole, once. */
  failed({ seq, again }: PreviewFailure): boolean {
    const waiting = this.waiting;
    const piecemeal = waiting !== null && seq === waiting.seq && !waiting.whole;
    this.known = null;
    if (waiting && (seq === waiting.seq || seq < 0)) this.waiting = null;
    if (!again && !piecemeal) return false;
    this.last = null;
    return true;
  }
}
