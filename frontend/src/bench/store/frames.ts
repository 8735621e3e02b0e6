import type { StoreApi } from "zustand";
import { api, said, type FrameHeader } from "../../api/client";
import type { Board } from "../../ui/Notices";
import type { Editing } from "./editing";
import { keyOf, withKeyed } from "./keys";
import type { Place } from "./rig";
import { remember, remembered } from "./remembered";
import type { State } from "./state";

export type Frames = ReturnType<typeof makeFrames>;

function spanName(plate: number): string {
  return `span-${plate}`;
}

/** The frames of a reel: which one is seen, where it begins and ends, and its keys. */
export function makeFrames(store: StoreApi<State>, editing: Editing, { warn }: Board) {
  const { plate } = store.getState();
  const last = Math.max(plate.frames - 1, 0);
  const within = (frame: number) => Math.max(0, Math.min(last, Math.round(frame)));
  const limit = (span: [number, number]) => {
    store.setState({ span });
    remember(spanName(plate.id), span);
  };
  return {
    last,
    /** What there is to know of the reel, once the bench is open. */
    load: async () => {
      if (plate.frames === 0) return;
      const kept = remembered(spanName(plate.id)) as [number, number] | null;
      const span: [number, number] = Array.isArray(kept) && kept[1] <= plate.frames && kept[0] < kept[1] ? kept : [0, plate.frames];
      store.setState({ span });
      const { data, error } = await api.GET("/api/plates/{plate_id}/reel", { params: { path: { plate_id: plate.id } } });
      if (data) store.setState({ reel: data });
      else warn(said(error));
    },
    to: (frame: number) => store.setState((s) => (s.frame === within(frame) ? s : { frame: within(frame), playing: false })),
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
    /** The settings that are keyed, as they are at the frame that has come; `fresh` where nothing has changed since it was asked
     * for. */
    told: (header: FrameHeader, fresh: boolean) =>
      store.setState((s) => {
        if (!fresh || s.hand.moving || s.playing || header.frame !== s.frame) return s;
        const rig = withKeyed(s.rig, header.keyed);
        return rig === s.rig ? s : { rig };
      }),
    /** Sets a key of a setting where the frame is, or takes it away. */
    turnKey: (place: Place, name: string, here: boolean) => {
      const key = keyOf(place, name);
      if (key) editing.ask({ do: "key", act: here ? "remove" : "set", ...key, frame: store.getState().frame, to: 0, between: "linear" });
    },
    between: (place: Place, name: string, between: "hold" | "linear" | "smooth") => {
      const key = keyOf(place, name);
      if (key) editing.ask({ do: "key", act: "between", ...key, frame: store.getState().frame, to: 0, between });
    },
    clearKeys: (place: Place, name: string) => {
      const key = keyOf(place, name);
      if (key) editing.ask({ do: "key", act: "clear", ...key, frame: store.getState().frame, to: 0, between: "linear" });
    },
  };
}
