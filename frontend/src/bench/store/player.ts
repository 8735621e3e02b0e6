import type { StoreApi } from "zustand";
import { soundOf, type FrameHeader } from "../../api/client";
import { sameButFrame } from "./exchange";
import { openFlow } from "./flow";
import { ReelSound } from "./reelSound";
import type { Sheet } from "./sheet";
import type { State } from "./state";
import { changesOf } from "./changes";
import { withKeyed } from "./keys";
import { wishAhead, type Wish } from "./wish";
import { proxyOf } from "./proxy";

const MOST_PIXELS = 90_000_000; // of all frames that are kept, four bytes each
const RATE_OVER = 1000; // ms over which the rate is told

interface Kept {
  bitmap: ImageBitmap;
  header: FrameHeader;
}

/** Plays a reel from lit frames that are kept, and has those ahead of the one that is seen made while the hand rests. */
export function openPlayer(plateId: number, store: StoreApi<State>, sheet: Sheet, warn: (why: string) => void): () => void {
  const sound = new ReelSound(soundOf(plateId), warn);
  const kept = new Map<number, Kept>();
  let of: Wish | null = null;
  let pixels = 0;
  let full = false;
  const drop = () => {
    kept.forEach(({ bitmap }) => bitmap.close());
    kept.clear();
    pixels = 0;
    full = false;
    if (store.getState().ready.length > 0) store.setState({ ready: [] });
  };
  /** Whether frames that were made for one wish are those of another: what keyed settings are now makes no difference to them. */
  const samePictures = (a: Wish, b: Wish): boolean => {
    if (a.rig === b.rig) return sameButFrame(a, b);
    const [one] = kept.values();
    if (!one || !sameButFrame({ ...a, rig: b.rig }, b)) return false;
    const { keyed } = one.header;
    return changesOf(withKeyed(a.rig, keyed), withKeyed(b.rig, keyed)).length === 0;
  };
  /** Takes the wish as that of the frames that are kept. */
  const settle = (base: Wish) => {
    if (!of || !samePictures(of, base)) drop();
    of = base;
  };
  const show = (frame: number, { bitmap, header }: Kept, rate: number | null) => {
    sheet.showKept(bitmap, header);
    store.setState({ frame, seen: header.box, proxy: proxyOf(header), rate });
  };
  /** The next frame that is not there yet, from the one that is seen on and round. */
  const missing = (): number | null => {
    const { frame, span } = store.getState();
    const count = span[1] - span[0];
    for (let k = 0; k < count; k++) {
      const next = span[0] + ((((frame - span[0] + k) % count) + count) % count);
      if (!kept.has(next)) return next;
    }
    return null;
  };
  const wish = (): Wish | null => {
    const s = store.getState();
    const base = wishAhead(s);
    if (!base || s.hand.moving || s.scrubbing || s.asking > 0) return null;
    settle(base);
    if (!s.playing && !s.exact) return null;
    const next = full ? null : missing();
    return next === null ? null : { ...base, frame: next };
  };
  const flow = openFlow(plateId, {
    wish,
    moving: () => true,
    draft: true,
    onPicture: (bitmap, header, _fresh, _bright, asked) => {
      const now = wishAhead(store.getState());
      const { frame } = header;
      if (!asked || !now || !samePictures(asked, now) || kept.has(frame)) {
        bitmap.close();
        flow.discard();
        return;
      }
      settle(now);
      kept.set(frame, { bitmap, header });
      pixels += bitmap.width * bitmap.height;
      full = pixels > MOST_PIXELS;
      store.setState({ ready: [...kept.keys()].sort((a, b) => a - b) });
      flow.poke();
    },
    onStage: () => undefined,
    onExact: () => undefined,
    onConnected: () => undefined,
    onError: () => undefined,
  });

  let planned = 0;
  let shownAt = 0;
  let shown: number[] = [];
  const tick = (now: number) => {
    planned = 0;
    const s = store.getState();
    if (!s.playing || !s.reel) return;
    planned = requestAnimationFrame(tick);
    const { times, end } = s.reel;
    const until = (frame: number) => ((times[frame + 1] ?? end) - (times[frame] ?? 0)) * 1000;
    let frame = s.frame;
    let due = shownAt + until(frame);
    if (now < due) return;
    // Frames whose time has passed are left out, where later ones are there.
    let next = frame + 1 >= s.span[1] || frame < s.span[0] ? s.span[0] : frame + 1;
    while (next > frame && next + 1 < s.span[1] && kept.has(next + 1) && now >= due + until(next)) {
      due += until(next);
      frame = next;
      next = frame + 1;
    }
    const picture = kept.get(next);
    if (!picture) {
      flow.poke();
      return;
    }
    shownAt = now - due > until(next) ? now : due;
    shown = [...shown.filter((at) => now - at < RATE_OVER), now];
    if (s.sound && s.reel.sound) sound.keepStep(times[next] ?? 0, missing() === null);
    show(next, picture, shown.length > 1 ? Math.round(((shown.length - 1) * 1000) / (now - (shown[0] ?? now))) : null);
  };
  const stop = store.subscribe((s, before) => {
    if (s.playing && !before.playing) {
      shown = [];
      shownAt = performance.now();
      store.setState({ rate: null });
    }
    if (!(s.playing && s.sound) && before.playing) sound.rest();
    if (s.playing && !planned) planned = requestAnimationFrame(tick);
    if (s.scrubbing && !before.scrubbing) {
      const base = wishAhead(s);
      if (base) settle(base);
      else drop();
    }
    const seen = s.scrubbing && (s.frame !== before.frame || !before.scrubbing) ? kept.get(s.frame) : undefined;
    if (seen) show(s.frame, seen, null);
    flow.poke();
  });
  return () => {
    stop();
    cancelAnimationFrame(planned);
    flow.close();
    sound.close();
    drop();
  };
}
