import type { StoreApi } from "zustand";
import { api, type Rig } from "../../api/client";
import { kept } from "./memo";
import type { State } from "./state";

const ASK_EVERY = 1000; // ms

/** Asks each second which kinds of light are being prepared, until all are ready. The rig's own kinds come first. */
export function followPreparing(store: StoreApi<State>): () => void {
  let timer = 0;
  let closed = false;
  const ask = () => {
    const kinds = [...new Set(store.getState().rig.lights.map((light) => light.kind))];
    api.POST("/api/preparing", { body: { kinds } }).then(
      ({ data }) => {
        if (closed) return;
        const preparing = data?.seconds ?? {};
        const some = Object.keys(preparing).length > 0;
        if (some || Object.keys(store.getState().preparing).length > 0) store.setState({ preparing });
        if (some) timer = window.setTimeout(ask, ASK_EVERY);
      },
      // The service is away, which the preview says.
      () => {
        if (!closed) timer = window.setTimeout(ask, ASK_EVERY);
      },
    );
  };
  ask();
  return () => {
    closed = true;
    window.clearTimeout(timer);
  };
}

/** The kinds that are not ready, as one word that stays the same while only their seconds change. */
export function unprepared(s: State): string {
  return Object.keys(s.preparing).sort().join();
}

const without = kept((rig: Rig, kinds: string): Rig => ({
  ...rig,
  lights: rig.lights.map((light) => (kinds.split(",").includes(light.kind) ? { ...light, on: false } : light)),
}));

/** The rig as it can be shown now: lights of kinds that are not ready are off. */
export function showable(rig: Rig, kinds: string): Rig {
  return kinds ? without(rig, kinds) : rig;
}

/** Seconds until a light of a kind can be shown; undefined where it can be. */
export function secondsLeft(s: Pick<State, "preparing">, kind: string | undefined): number | undefined {
  const seconds = kind === undefined ? undefined : s.preparing[kind];
  return seconds === undefined ? undefined : Math.ceil(seconds);
}
