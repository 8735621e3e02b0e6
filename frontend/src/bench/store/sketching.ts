import type { StoreApi } from "zustand";
import { api, follow, said, whyOf, type KindInfo, type SketchCell, type Stroke } from "../../api/client";
import type { Editing } from "./editing";
import { handled, HANDLES } from "./hand";
import { withAnswer } from "./lights";
import { lightOf, lightOwner } from "./rig";
import { atFrame, lightNow } from "./selectors";
import type { Sketched, State } from "./state";

export type Sketching = ReturnType<typeof makeSketching>;

/** Light that is asked for: where it should fall is painted, and lights that fall there are offered. */
export function makeSketching(store: StoreApi<State>, kinds: KindInfo[], { now, edit }: Editing) {
  let stop: AbortController | null = null;
  const set = (some: Partial<Sketched>) => store.setState((s) => ({ sketch: { ...s.sketch, ...some } }));
  const answered = (mine: AbortController, some: Partial<Sketched>) => stop === mine && set(some);

  const ask = () => {
    stop?.abort();
    stop = null;
    const s = store.getState();
    const { strokes, light } = s.sketch;
    set({ answers: [], tried: null, wrong: null, share: null });
    if (strokes.length === 0) return;
    const mine = new AbortController();
    stop = mine;
    set({ share: 0 });
    const search = async () => {
      const body = { rig: now(), light, strokes };
      const { data, error } = await api.POST("/api/plates/{plate_id}/sketch", { params: atFrame(s), body, signal: mine.signal });
      if (!data) throw new Error(said(error));
      await follow(
        data,
        ({ job, items }) => {
          const found = items.filter((item): item is SketchCell => "agreement" in item);
          answered(mine, { share: job.share, answers: [...store.getState().sketch.answers, ...found] });
        },
        mine.signal,
      );
    };
    search()
      .catch((error: unknown) => {
        if (!mine.signal.aborted) answered(mine, { wrong: whyOf(error) });
      })
      .finally(() => answered(mine, { share: null }));
  };

  const close = () => {
    stop?.abort();
    stop = null;
    set({ tried: null, share: null });
    store.setState((s) => ({ hand: handled(s.hand, { do: "take up", tool: HANDLES }) }));
  };

  const sketched = (kind: string | undefined) => kinds.find((one) => one.name === kind)?.sketched ?? false;

  return {
    /** Takes up the brush: for the selected light where it can be asked for, else for a new one. What was sketched is asked again. */
    begin: () => {
      const light = lightNow(store.getState());
      set({ light: light && sketched(light.kind) ? light.id : null });
      store.setState((s) => ({ hand: handled(s.hand, { do: "take up", tool: { is: "sketch" } }), large: null, comparison: null }));
      ask();
    },
    sketched,
    /** Asks a light, or a new one of any kind where it is null. */
    of: (light: string | null) => {
      set({ light });
      ask();
    },
    drop: (stroke: Stroke) => {
      set({ strokes: [...store.getState().sketch.strokes, stroke] });
      ask();
    },
    /** Takes the last stroke back. */
    back: () => {
      set({ strokes: store.getState().sketch.strokes.slice(0, -1) });
      ask();
    },
    clear: () => {
      set({ strokes: [] });
      ask();
    },
    tryOut: (tried: SketchCell | null) => set({ tried }),
    /** Takes an answer, as one step to undo. */
    take: ({ light, title }: SketchCell) => {
      const there = lightOf(now(), light.id) !== undefined;
      const next = withAnswer(now(), light, store.getState().frame);
      close();
      edit(next, `Show me where: ${light.name || title}`, there ? light.id : null);
      store.setState({ selection: lightOwner(light.id) });
    },
    close,
  };
}
