import type { FrameHeader, PreviewFailure, PreviewRequest, Rig } from "../../api/client";
import { changesOf } from "./changes";
import { openLink } from "./link/link";
import type { Wish } from "./wish";

const QUICK = 160; // ms within which one wish follows another while something moves that the hand does not hold
const STILL = 320; // ms without a change after which a hand that holds something counts as resting
const RECONNECT = 900;
const STAGES_EVERY = 400; // ms between the small pictures of the stages while something is moved
const STAGE_WIDTH = 150; // CSS pixels
const TOO_LARGE = 1009; // RFC 6455: a message that is too big to process

interface Screen {
  wish: () => Wish | null;
  /** Something is being moved by the hand. */
  moving: () => boolean;
  /** Only drafts are wanted. */
  draft?: boolean;
  /** `fresh`: nothing has changed since the picture was asked for. */
  onPicture: (bitmap: ImageBitmap, header: FrameHeader, fresh: boolean, bright: Blob | null) => void;
  /** `colour`: its mean as CSS, null where it is dark. */
  onStage: (picture: Blob, header: FrameHeader, colour: string | null) => void;
  /** Whether the exact picture of what is wished for is shown. */
  onExact: (exact: boolean) => void;
  onConnected: (connected: boolean) => void;
  onError: (error: string | null) => void;
}

export interface Flow {
  /** Something that is shown may have changed. */
  poke: () => void;
  close: () => void;
}

function same(a: Wish, b: Wish): boolean {
  return a.frame === b.frame && sameButFrame(a, b);
}

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

/** The live preview of a plate. One request is on its way at a time, and the newest wish waits for its answer, so a
 * steady drag always paints and never queues; an exact picture gives way to the next wish at once. */
export function openFlow(plateId: number, screen: Screen): Flow {
  let connected = false;
  let closed = false;
  let seq = 0;
  /** The rig that the service knows, and the request that it came with. */
  let known: { seq: number; rig: Rig } | null = null;
  let last: { seq: number; wish: Wish; draft: boolean; quick: boolean; at: number } | null = null;
  let waiting: { seq: number; draft: boolean; whole: boolean } | null = null;
  let refused: Wish | null = null;
  let exact = false;
  let wished: Wish | null = null;
  let changedAt = 0;
  let stagesAt = 0;
  let planned = 0;
  let timer = 0;
  let again = 0;
  // The newest request of which each part has been shown: decoding takes different times, and nothing older follows.
  const newest: Record<string, number> = {};

  const tell = (now: boolean) => {
    if (exact === now) return;
    exact = now;
    screen.onExact(now);
  };

  const send = (wish: Wish, draft: boolean, quick: boolean) => {
    if (!connected) return;
    const now = performance.now();
    const stages = !draft || now - stagesAt > STAGES_EVERY;
    if (stages) stagesAt = now;
    const changes = known ? changesOf(known.rig, wish.rig) : [];
    const whole = known === null || changes.some((change) => change.path === "");
    const request: PreviewRequest = {
      seq: ++seq,
      rig: whole ? wish.rig : null,
      base: known?.seq ?? null,
      changes: whole ? [] : changes,
      lead: wish.lead,
      painting: wish.painting,
      view: wish.view,
      frame: wish.frame,
      show: wish.show,
      clipping: wish.clipping,
      hdr: wish.hdr,
      viewing: wish.seeing,
      light: stages ? wish.light : null,
      draft,
      stage_width: Math.round(STAGE_WIDTH * window.devicePixelRatio),
    };
    known = { seq, rig: wish.rig };
    last = { seq, wish, draft, quick, at: now };
    waiting = { seq, draft, whole };
    link.tell({ do: "send", request });
  };

  const look = () => {
    cancelAnimationFrame(planned);
    planned = 0;
    window.clearTimeout(timer);
    const wish = screen.wish();
    if (!wish || !connected || (refused && same(wish, refused))) return;
    const now = performance.now();
    if (!last || !same(wish, last.wish)) {
      if (waiting?.draft) return; // its answer looks again
      const quick = last !== null && now - last.at < QUICK;
      send(wish, screen.moving() || wish.painting !== null || quick, quick);
    } else if (last.draft && !waiting && !screen.draft) {
      // Nothing has changed since: exact once the hand has let go, or holds still.
      const rest = screen.moving() || wish.painting !== null ? STILL : last.quick ? QUICK : 0;
      if (now - changedAt < rest) timer = window.setTimeout(look, rest - (now - changedAt));
      else send(wish, false, false);
    }
  };
  const poke = () => {
    const wish = screen.wish();
    if (wish && !(wished && same(wish, wished))) {
      wished = wish;
      changedAt = performance.now();
      tell(false);
    }
    if (!planned) planned = requestAnimationFrame(look);
  };

  const show = (bitmap: ImageBitmap, header: FrameHeader, bright: Blob | null) => {
    if (closed || header.seq < (newest[header.part] ?? 0)) {
      bitmap.close();
      return;
    }
    newest[header.part] = header.seq;
    const now = screen.wish();
    const fresh = header.seq === last?.seq && now?.rig === last.wish.rig && now.frame === last.wish.frame;
    screen.onPicture(bitmap, header, fresh, bright);
    screen.onError(null);
    if (header.exact && header.seq === last?.seq) {
      const wish = screen.wish();
      if (wish && same(wish, last.wish)) tell(true);
    }
  };

  const failed = ({ seq: of, error, again: unknown }: PreviewFailure) => {
    // What could not be made of changes is sent whole, once.
    const piecemeal = waiting !== null && of === waiting.seq && !waiting.whole;
    known = null;
    if (waiting && (of === waiting.seq || of < 0)) waiting = null;
    if (unknown || piecemeal) {
      last = null;
      poke();
      return;
    }
    screen.onError(error);
  };

  const connect = () => {
    const scheme = window.location.protocol === "https:" ? "wss" : "ws";
    link.tell({ do: "connect", url: `${scheme}://${window.location.host}/api/plates/${plateId}/preview` });
  };
  const gone = (code: number) => {
    connected = false;
    screen.onConnected(false);
    tell(false);
    if (code === TOO_LARGE) {
      refused = last?.wish ?? null;
      screen.onError("This rig is too large to be shown live; remove some strokes. It is saved all the same.");
    }
    again = window.setTimeout(connect, RECONNECT);
  };
  const link = openLink((heard) => {
    switch (heard.is) {
      case "open":
        connected = true;
        screen.onConnected(true);
        known = last = waiting = null;
        look();
        return;
      case "answered":
        if (heard.seq !== waiting?.seq) return;
        waiting = null;
        // Not on the next drawn frame: the service has nothing to do meanwhile.
        look();
        return;
      case "picture":
        show(heard.bitmap, heard.header, heard.bright);
        return;
      case "stage":
        if (heard.header.seq < (newest[heard.header.part] ?? 0)) return;
        newest[heard.header.part] = heard.header.seq;
        screen.onStage(heard.picture, heard.header, heard.colour);
        return;
      case "failed":
        failed(heard.failure);
        return;
      case "gone":
        gone(heard.code);
    }
  });
  connect();

  return {
    poke,
    close: () => {
      closed = true;
      cancelAnimationFrame(planned);
      window.clearTimeout(timer);
      window.clearTimeout(again);
      link.close();
    },
  };
}
