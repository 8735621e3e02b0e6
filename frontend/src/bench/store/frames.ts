import type { StoreApi } from "zustand";
import {
  api,
  follow,
  said,
  whyOf,
  type CarriedCell,
  type CutsCell,
  type FlickerCell,
  type FollowedCell,
  type FrameHeader,
  type Job,
  type KindInfo,
  type ReelExport,
  type SizeCell,
} from "../../api/client";
import type { Board } from "../../ui/Notices";
import type { Editing } from "./editing";
import { toPlate } from "../picture/view";
import { keyOf, keyOwner, trackOf, withKeyAt, withKeyed } from "./keys";
import { spotsOf, withSpots, type Spot } from "./places";
import type { Place } from "./rig";
import { atFrame, cutsNow } from "./selectors";
import { remember, remembered, SOUND } from "./remembered";
import type { State } from "./state";
import { proxyOf } from "./proxy";

/** What the measuring of flicker is called among the tasks. */
export const MEASURING = "Measuring the flicker";
const NAMED = 6; // frames that a sentence lists

export type Frames = ReturnType<typeof makeFrames>;

/** Which frames a reel lacks. */
function unreadable(frames: number[]): string {
  const named = frames.slice(0, NAMED).join(", ");
  const more = frames.length > NAMED ? ` and ${String(frames.length - NAMED)} more` : "";
  const which = frames.length === 1 ? `Frame ${named}` : `The frames ${named}${more}`;
  return `${which} of this reel cannot be read. Everything else works; there, following goes on as it went and mattes stay as they were.`;
}

function spanName(plate: number): string {
  return `span-${plate}`;
}

/** The frames of a reel: which one is seen, where it begins and ends, and its keys. */
export function makeFrames(store: StoreApi<State>, editing: Editing, kinds: KindInfo[], { say, warn }: Board) {
  const { plate } = store.getState();
  const last = Math.max(plate.frames - 1, 0);
  const within = (frame: number) => Math.max(0, Math.min(last, Math.round(frame)));
  const limit = (span: [number, number]) => {
    store.setState({ span });
    remember(spanName(plate.id), span);
  };
  let line: Promise<unknown> = Promise.resolve();
  /** Follows a job over all frames, once those asked for before it are done, with its progress and a way to stop it; gives what it
   * gave, or null where it was stopped or refused. */
  const overFrames = (label: string, start: () => Promise<{ data?: Job; error?: unknown }>): Promise<unknown> => {
    const leaving = new AbortController();
    const leave = () => store.setState((s) => ({ tasks: s.tasks.filter((task) => task.stop !== stop) }));
    const stop = () => {
      leaving.abort();
      leave();
    };
    const stopped = () => leaving.signal.aborted;
    const atTurn = async () => {
      if (stopped()) return null;
      let given: unknown = null;
      try {
        const { data, error } = await start();
        if (!data) throw new Error(said(error));
        await follow(
          data,
          ({ job, items }) => {
            given = items.at(-1) ?? given;
            store.setState((s) => ({ tasks: s.tasks.map((task) => (task.stop === stop ? { ...task, share: job.share } : task)) }));
          },
          leaving.signal,
        );
        return given;
      } catch (error) {
        if (!stopped()) warn(whyOf(error));
        return null;
      } finally {
        leave();
      }
    };
    store.setState((s) => ({ tasks: [...s.tasks, { label, share: 0, stop }] }));
    return (line = line.then(atTurn));
  };
  /** Shows where what was followed is lost, and says where a cut ended it. */
  const tell = ({ seen, within, cut }: FollowedCell) => {
    store.setState({ lost: seen.filter((one) => one.sure === 0).map((one) => one.frame) });
    if (cut) say(`Followed over its shot, frames ${String(within[0])} to ${String(within[1] - 1)}; what lies beyond a cut is as it was.`);
  };
  /** Finds the cuts, which takes a while; nothing waits for them. */
  const findCuts = async () => {
    const { data } = await api.POST("/api/plates/{plate_id}/cuts", { params: { path: { plate_id: plate.id } } });
    const leaving = new AbortController();
    leave = () => leaving.abort();
    if (data)
      await follow(
        data,
        ({ items }) => {
          const found = items.at(-1) as CutsCell | undefined;
          if (!found) return;
          store.setState({ cuts: found.cuts });
          if (found.damaged.length > 0) warn(unreadable(found.damaged));
        },
        leaving.signal,
      );
  };
  let leave: () => void = () => undefined;
  const self = {
    last,
    /** Fixes a place, or a shape by each of its places, to what is under it in the picture, over all frames. Frames at which a place
     * alone is lost have no key. */
    follow: async (place: Place, name: string, value: unknown, label: string) => {
      const key = keyOf(place, name);
      const places = spotsOf(value);
      if (places.length === 0) return;
      const { span, rig } = store.getState();
      const params = atFrame(store.getState());
      const ask = () => api.POST("/api/plates/{plate_id}/follow", { params, body: { places, span, shots: rig.shots } });
      const found = (await overFrames(`Following ${label}`, ask)) as FollowedCell | null;
      if (!found) return;
      const kept = places.length > 1 ? found.seen : found.seen.filter((one) => one.sure > 0);
      tell(found);
      const at = kept.map((one) => [one.frame, withSpots(value, [...one.places])] as [number, unknown]);
      editing.ask({ do: "set-keys", ...key, at, within: found.within });
    },
    /** The same of a place, and of what goes round it: that turns and grows with what is under it. */
    followTurning: async (place: Place, name: string, at: Spot, label: string) => {
      const { span, rig, frame } = store.getState();
      const params = atFrame(store.getState());
      const ask = () => api.POST("/api/plates/{plate_id}/follow", { params, body: { places: [at], span, shots: rig.shots } });
      const found = (await overFrames(`Following ${label}`, ask)) as FollowedCell | null;
      if (!found) return;
      const kept = found.seen.filter((one) => one.sure > 0);
      tell(found);
      const lies = kept.flatMap((one) =>
        one.places.slice(0, 1).map((spot) => [one.frame, spot, one.turn, one.size] as [number, Spot, number, number]),
      );
      const size: [number, number] = [plate.width, plate.height];
      editing.ask({ do: "follow-turning", ...keyOf(place, name), frame, at: lies, size, within: found.within });
    },
    /** Has the crop go with what is under its middle. */
    followCrop: async () => {
      const { rig, frame } = store.getState();
      const { crop, straighten } = rig.prepare;
      if (!crop) return;
      const at = { x: ((crop.x0 + crop.x1) / 2) * plate.width, y: ((crop.y0 + crop.y1) / 2) * plate.height };
      const middle = toPlate({ x: 0, y: 0, scale: 1, angle: straighten }, plate, at);
      const { span } = store.getState();
      const params = atFrame(store.getState());
      const ask = () => api.POST("/api/plates/{plate_id}/follow", { params, body: { places: [middle], span, shots: rig.shots } });
      const found = (await overFrames("Following with the crop", ask)) as FollowedCell | null;
      if (!found) return;
      const kept = found.seen.filter((one) => one.sure > 0);
      tell(found);
      const places = kept.flatMap((one) => one.places.slice(0, 1).map((place) => [one.frame, place] as [number, Spot]));
      editing.ask({ do: "follow-crop", frame, at: places, size: [plate.width, plate.height] });
    },
    /** Fixes the points of a light, as they are found at this frame, to what is under them. */
    followPoints: async (place: Place, name: string, light: string) => {
      const key = keyOf(place, name);
      const s = store.getState();
      const body = { rig: s.rig, light, span: s.span };
      const ask = () => api.POST("/api/plates/{plate_id}/follow/points", { params: atFrame(s), body });
      const found = (await overFrames("Following the points", ask)) as FollowedCell | null;
      if (found) editing.ask({ do: "set-keys", ...key, at: found.seen.map((one) => [one.frame, one.places]), within: found.within });
    },
    /** What new lights find at this frame stays the same over all of them; `known` are those that were there before. */
    settle: async (known: string[]) => {
      if (plate.frames < 2) return;
      for (const light of store.getState().rig.lights.filter((one) => !known.includes(one.id)))
        for (const group of kinds.find((kind) => kind.name === light.kind)?.groups ?? [])
          for (const { type, name, over_frames } of group.settings) {
            const place: Place = { light: light.id, stage: group.name as "source" };
            if (type !== "places" || !over_frames || trackOf(store.getState().rig, place, name)) continue;
            await self.followPoints(place, name, light.id);
          }
    },
    resetKeys: (place: Place, name: string) => {
      const key = keyOf(place, name);
      editing.ask({ do: "key", act: "reset", ...key, frame: store.getState().frame, between: "linear" });
    },
    /** Carries a matte, as it is at this frame, over the frames between the marks; or blends what was mended at this one into those
     * about it. */
    carry: async (matte: string, label: string, mended = false) => {
      const s = store.getState();
      const ask = () => api.POST("/api/plates/{plate_id}/carry", { params: atFrame(s), body: { rig: s.rig, matte, mended, span: s.span } });
      const made = (await overFrames(`Carrying ${label}`, ask)) as CarriedCell | null;
      if (made) editing.ask({ do: "take-carried", matte, file: made.file, of: made.of, hinted: made.hinted });
    },
    /** About how many bytes the lit reel will have; null where that was stopped or is refused. */
    trySize: async (reel: ReelExport): Promise<number | null> => {
      const { rig } = store.getState();
      const params = { path: { plate_id: plate.id } };
      const ask = () => api.POST("/api/plates/{plate_id}/reel/size", { params, body: { rig, reel } });
      const made = (await overFrames("Trying a second", ask)) as SizeCell | null;
      return made?.about ?? null;
    },
    /** Measures how much the light flickers, from where the reel begins to where it ends. */
    measure: async () => {
      const { rig, span } = store.getState();
      const params = { path: { plate_id: plate.id } };
      const ask = () => api.POST("/api/plates/{plate_id}/flicker", { params, body: { rig, span } });
      const found = (await overFrames(MEASURING, ask)) as FlickerCell | null;
      if (found) store.setState({ flicker: found });
    },
    /** What there is to know of the reel, once the bench is open. */
    load: async () => {
      if (plate.frames === 0) return;
      const kept = remembered(spanName(plate.id)) as [number, number] | null;
      const span: [number, number] = Array.isArray(kept) && kept[1] <= plate.frames && kept[0] < kept[1] ? kept : [0, plate.frames];
      store.setState({ span });
      const { data, error } = await api.GET("/api/plates/{plate_id}/reel", { params: { path: { plate_id: plate.id } } });
      if (data) store.setState({ reel: data });
      else warn(said(error));
      // A reel whose cuts cannot be found says why where it is followed or carried.
      findCuts().catch(() => undefined);
    },
    leave: () => leave(),
    /** Says by hand that a shot begins with this frame, or that none does. */
    turnCut: () => {
      const s = store.getState();
      if (s.frame > 0) editing.ask({ do: "turn-cut", frame: s.frame, begins: !cutsNow(s).includes(s.frame) });
    },
    to: (frame: number) => store.setState((s) => (s.frame === within(frame) ? s : { frame: within(frame), playing: false })),
    /** The same while the hand holds the playhead, until `restPlayhead`. */
    scrub: (frame: number) =>
      store.setState((s) => (s.scrubbing && s.frame === within(frame) ? s : { frame: within(frame), playing: false, scrubbing: true })),
    restPlayhead: () => store.setState({ scrubbing: false }),
    step: (by: number) => store.setState((s) => ({ frame: within(s.frame + by), playing: false })),
    /** Where the reel begins or ends, for playing and for what is written. */
    begin: () => store.setState((s) => ({ frame: s.span[0], playing: false })),
    end: () => store.setState((s) => ({ frame: s.span[1] - 1, playing: false })),
    beginHere: () => {
      const { frame, span } = store.getState();
      limit([frame, Math.max(span[1], frame + 1)]);
    },
    endHere: () => {
      const { frame, span } = store.getState();
      limit([Math.min(span[0], frame), frame + 1]);
    },
    limit: (begin: number, end: number) => limit([within(begin), Math.max(within(begin) + 1, Math.min(plate.frames, Math.round(end)))]),
    play: () => store.setState((s) => ({ playing: !s.playing })),
    /** Says why the sound is not heard. */
    unheard: warn,
    hear: (sound: boolean) => {
      store.setState({ sound });
      remember(SOUND, sound);
    },
    /** The settings that are keyed, as they are at the frame that has come; `fresh` where nothing has changed since it was asked
     * for. */
    told: (header: FrameHeader, fresh: boolean) => {
      const proxy = proxyOf(header);
      store.setState((s) => (s.proxy === proxy ? s : { proxy }));
      store.setState((s) => {
        if (!fresh || s.hand.moving || s.playing || header.frame !== s.frame) return s;
        const rig = withKeyed(s.rig, header.keyed);
        return rig === s.rig ? s : { rig };
      });
    },
    /** Sets a key of a setting where the frame is, or takes it away. */
    turnKey: (place: Place, name: string, here: boolean) => {
      const key = keyOf(place, name);
      editing.ask({ do: "key", act: here ? "remove" : "set", ...key, frame: store.getState().frame, between: "linear" });
    },
    /** Moves a place at a key, until `restKey`. */
    moveKey: (place: Place, name: string, frame: number, to: Spot) => editing.change(withKeyAt(editing.now(), place, name, frame, to)),
    /** Moves all keys that what is selected has at a frame to another. */
    shiftKeys: (frame: number, to: number) => {
      const owner = keyOwner(store.getState().selection);
      if (within(to) !== frame) editing.ask({ do: "move-keys", owner, frame, to: within(to) });
    },
    restKey: (label: string) => editing.rest(`${label}: move a key`),
    between: (place: Place, name: string, between: "hold" | "linear" | "smooth") => {
      const key = keyOf(place, name);
      editing.ask({ do: "key", act: "between", ...key, frame: store.getState().frame, between });
    },
    clearKeys: (place: Place, name: string) => {
      const key = keyOf(place, name);
      editing.ask({ do: "key", act: "clear", ...key, frame: store.getState().frame, between: "linear" });
    },
  };
  return self;
}
