import type { StoreApi } from "zustand";
import { api, type Rig } from "../../api/client";
import { secondsLeft, showable, unprepared } from "./preparing";
import { atFrame, lightNow } from "./selectors";
import type { State } from "./state";

const REST = 260; // ms without a change after which the numbers are asked for

/** The rig and the light of which facts can be had now. */
function asked(s: State): [Rig, string | null] {
  const light = lightNow(s);
  return [showable(s.rig, unprepared(s)), light && secondsLeft(s, light.kind) === undefined ? light.id : null];
}

/** Facts of the rig as it rests: histograms, clipping, what lights say, points of light. They wait for the exact picture
 * and are let go where the hand moves on. */
export function followFacts(store: StoreApi<State>): () => void {
  let timer = 0;
  let asking: AbortController | null = null;
  let told: unknown[] = [];
  const ask = () => {
    const s = store.getState();
    const { hand, exact, frame, playing, scrubbing } = s;
    if (hand.moving || !exact || playing || scrubbing) return;
    const [rig, light] = asked(s);
    told = [rig, light, frame];
    asking = new AbortController();
    api.POST("/api/plates/{plate_id}/facts", { params: atFrame(store.getState()), body: { rig, light }, signal: asking.signal }).then(
      ({ data }) => data && store.setState({ facts: data }),
      // Let go, or the service is away, which the preview says; the numbers come again with the next change.
      () => undefined,
    );
  };
  const look = (s: State) => {
    const wanted = [...asked(s), s.frame];
    const same = wanted.every((one, k) => one === told[k]);
    if (s.hand.moving || !s.exact) {
      window.clearTimeout(timer);
      timer = 0;
      if (!same) asking?.abort();
      return;
    }
    if (same || timer) return;
    timer = window.setTimeout(() => {
      timer = 0;
      ask();
    }, REST);
  };
  look(store.getState());
  const stop = store.subscribe((s, before) => {
    if (s.rig !== before.rig) {
      window.clearTimeout(timer);
      timer = 0;
    }
    if (s.rig !== before.rig || s.exact !== before.exact || s.hand !== before.hand || s.selection !== before.selection) look(s);
  });
  return () => {
    stop();
    window.clearTimeout(timer);
    asking?.abort();
  };
}
