import type { FrameHeader } from "../../api/client";
import { changesOf } from "./changes";
import { Exchange } from "./exchange";
import { openLink } from "./link/link";
import type { Wanted } from "./link/messages";
import type { Wish } from "./wish";

const RECONNECT = 900; // ms
const STAGE_WIDTH = 150; // CSS pixels

interface Screen {
  wish: () => Wish | null;
  /** Something is being moved by the hand. */
  moving: () => boolean;
  /** Only drafts are wanted. */
  draft?: boolean;
  /** `fresh`: nothing has changed since the picture was asked for; `asked`: what it was asked for. */
  onPicture: (bitmap: ImageBitmap, header: FrameHeader, fresh: boolean, bright: Blob | null, asked: Wish | null) => void;
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
  /** The picture that came last is not used; it may be asked for again. */
  discard: () => void;
  /** A picture from elsewhere is on the screen now. */
  cover: () => void;
  close: () => void;
}

/** The live preview of a plate: does what the exchange says, when it says so, and shows what comes. */
export function openFlow(plateId: number, screen: Screen): Flow {
  const exchange = new Exchange();
  let closed = false;
  let exact = false;
  let planned = 0;
  let timer = 0;
  let again = 0;

  const tell = (now: boolean) => {
    if (exact === now) return;
    exact = now;
    screen.onExact(now);
  };

  const send = (wish: Wish, how: { draft: boolean; quick: boolean }) => {
    const now = performance.now();
    const known = exchange.known;
    const changes = known ? changesOf(known.rig, wish.rig) : [];
    const whole = known === null || changes.some((change) => change.path === "");
    const request: Wanted = {
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
      scrubbing: wish.scrubbing,
      light: !(wish.scrubbing && how.draft) && exchange.takesStages(how.draft, now) ? wish.light : null,
      draft: how.draft,
      stage_width: Math.round(STAGE_WIDTH * window.devicePixelRatio),
      seq: exchange.send(wish, how, whole, now),
    };
    link.tell({ do: "send", request });
  };

  const look = () => {
    cancelAnimationFrame(planned);
    planned = 0;
    window.clearTimeout(timer);
    const wish = screen.wish();
    const next = exchange.next(wish, performance.now(), { moving: screen.moving(), draftsOnly: screen.draft ?? false });
    if (next.do === "wait") timer = window.setTimeout(look, next.ms);
    else if (next.do === "send" && wish) send(wish, next);
    else if (exchange.showsExactly(wish)) tell(true);
  };
  const poke = () => {
    const wish = screen.wish();
    if (wish && exchange.changed(wish, performance.now())) tell(false);
    if (!planned) planned = requestAnimationFrame(look);
  };

  const show = (bitmap: ImageBitmap, header: FrameHeader, bright: Blob | null) => {
    if (closed || !exchange.isNews(header)) {
      bitmap.close();
      return;
    }
    const wish = screen.wish();
    screen.onPicture(bitmap, header, exchange.isFresh(header, wish), bright, exchange.askedFor(header));
    screen.onError(null);
    exchange.shown(header);
    if (exchange.showsExactly(screen.wish())) tell(true);
  };

  const connect = () => {
    const scheme = window.location.protocol === "https:" ? "wss" : "ws";
    link.tell({ do: "connect", url: `${scheme}://${window.location.host}/api/plates/${plateId}/preview` });
  };
  const gone = (code: number) => {
    const tooLarge = exchange.closed(code);
    screen.onConnected(false);
    tell(false);
    if (tooLarge) screen.onError("This rig is too large to be shown live; remove some strokes. It is saved all the same.");
    again = window.setTimeout(connect, RECONNECT);
  };
  const link = openLink((heard) => {
    switch (heard.is) {
      case "open":
        exchange.opened();
        screen.onConnected(true);
        look();
        return;
      case "answered":
        // Not on the next drawn frame: the service has nothing to do meanwhile.
        if (exchange.answered(heard.seq)) look();
        return;
      case "picture":
        show(heard.bitmap, heard.header, heard.bright);
        return;
      case "stage":
        if (exchange.isNews(heard.header)) screen.onStage(heard.picture, heard.header, heard.colour);
        return;
      case "failed":
        if (exchange.failed(heard.failure)) poke();
        else screen.onError(heard.failure.error);
        return;
      case "gone":
        gone(heard.code);
    }
  });
  connect();

  return {
    poke,
    discard: () => exchange.discarded(),
    cover: () => {
      exchange.covered();
      tell(false);
    },
    close: () => {
      closed = true;
      cancelAnimationFrame(planned);
      window.clearTimeout(timer);
      window.clearTimeout(again);
      link.close();
    },
  };
}
