import { createContext, useContext } from "react";
import { createStore, useStore, type StoreApi } from "zustand";
import { useShallow } from "zustand/react/shallow";
import type { BenchState, Catalogue, KindInfo, Light, Owner, SettingInfo, Stage } from "../../api/client";
import type { Board } from "../../ui/Notices";
import { makeAreas, type Areas } from "./areas";
import { StagePictures } from "./stagePictures";
import { makeExports, type Exports } from "./exports";
import { makeEditing, type Editing } from "./editing";
import { followFacts } from "./facts";
import { makeFiles, type Files } from "./files";
import { makeFinder, type Finder } from "./finder";
import { makeFrames, type Frames } from "./frames";
import { openPlayer } from "./player";
import { followPreparing } from "./preparing";
import { openFlow } from "./flow";
import { handled, HANDLES, type Tool } from "./hand";
import { makeKeeping, type Keeping } from "./keeping";
import { makeLights, type Lights } from "./lights";
import { makeMasking, rememberedBrushes, type Masking } from "./masking";
import { defaultsOf, type Selection } from "./rig";
import { lightIdNow, placementNow, showsKept } from "./selectors";
import { Sheet } from "./sheet";
import { brightScreen, ofSpace, stateOf, type Comparison, type DialogName, type Seeing, type State } from "./state";
import { makeSketching, type Sketching } from "./sketching";
import { makeTakes, type Takes } from "./takes";
import { makeViewing, type Viewing } from "./viewing";
import { wishBeside, wishNow } from "./wish";

/** A plate on the bench: its state, and all that can be done with it. It stays the same while the state changes. */
export interface Bench {
  catalogue: Catalogue;
  store: StoreApi<State>;
  /** What is now; for handlers, not for drawing. */
  now: () => State;
  keeping: Keeping;
  editing: Editing;
  lights: Lights;
  masking: Masking;
  areas: Areas;
  finder: Finder;
  sketching: Sketching;
  takes: Takes;
  exports: Exports;
  files: Files;
  frames: Frames;
  viewing: Viewing;
  /** The picture, and the right one of two that are compared. */
  sheet: Sheet;
  beside: Sheet;
  stages: StagePictures;
  kindOf: (light: Light | undefined) => KindInfo | undefined;
  select: (selection: Selection) => void;
  take: (tool: Tool) => void;
  hold: (what: "before" | "without" | null) => void;
  show: (large: State["large"]) => void;
  open: (dialog: DialogName | null) => void;
  strip: (stage: Stage, setting: SettingInfo) => void;
  compare: (comparison: Comparison | null) => void;
  /** Connects it with the service; what comes back ends that. */
  start: () => () => void;
}

/** What is shown of masks once something else is selected: the tint of a matte goes with the matte. */
function withoutTintOfMatte({ selection, maskView }: State): State["maskView"] {
  return selection !== "plate" && selection.of === "matte" && maskView === "over" ? "off" : maskView;
}

export function makeBench(opened: BenchState, catalogue: Catalogue, board: Board): Bench {
  const store = createStore<State>(() =>
    stateOf(opened, rememberedBrushes(catalogue.parts, catalogue.sketch_brush, opened.plate.id), defaultsOf(catalogue.viewing) as Seeing),
  );
  const keeping = makeKeeping(store, board);
  const take = (tool: Tool) => store.setState((s) => ({ hand: handled(s.hand, { do: "take up", tool }) }));
  const select = (selection: Selection) => {
    store.setState((s) => ({
      selection,
      hand: handled(s.hand, { do: "take up", tool: HANDLES }),
      large: selection === "plate" || selection.of === "house" || ofSpace(s.large) ? null : s.large,
      maskView: withoutTintOfMatte(s),
    }));
    if (selection !== "plate" && selection.of === "matte") masking.correct(selection.id, false);
  };
  const editing = makeEditing(store, keeping, board, (owner: Owner, part) => {
    store.setState((s) => ({ selection: owner, maskView: owner.of === "matte" ? s.maskView : withoutTintOfMatte(s) }));
    masking.open(owner, part, true);
  });
  const masking = makeMasking(store, catalogue.parts, editing, board);
  const viewing = makeViewing(store, catalogue.kinds);
  const bench: Bench = {
    catalogue,
    store,
    now: () => store.getState(),
    keeping,
    editing,
    masking,
    areas: makeAreas(store, editing),
    viewing,
    frames: makeFrames(store, editing, catalogue.kinds, board),
    lights: makeLights(store, editing),
    finder: makeFinder(store, editing, board, (found) => viewing.see(...found)),
    sketching: makeSketching(store, catalogue.kinds, editing),
    takes: makeTakes(store, board),
    exports: makeExports(store, board),
    files: makeFiles(store, board, keeping.refresh),
    sheet: new Sheet(),
    beside: new Sheet(),
    stages: new StagePictures(),
    kindOf: (light) => catalogue.kinds.find((k) => k.name === light?.kind),
    select,
    take,
    hold: (what) => store.setState((s) => ({ hand: handled(s.hand, what ? { do: "hold", what } : { do: "let go" }) })),
    show: (large) => store.setState({ large }),
    open: (dialog) => store.setState({ dialog }),
    strip: (stage, setting) => store.setState({ strip: { stage, setting, tried: null } }),
    compare: (comparison) =>
      // The view is fitted anew where the room for each picture changes.
      store.setState((s) => ({ comparison, placed: comparison?.way === s.comparison?.way ? s.placed : null })),
    start: () => start(bench),
  };
  return bench;
}

/** The flows of pictures, the facts and what is kept with the plate. */
function start(bench: Bench): () => void {
  const { store } = bench;
  const plateId = store.getState().plate.id;
  const moving = () => store.getState().hand.moving || store.getState().scrubbing;
  // Its frames come from elsewhere then.
  const moved = () => showsKept(store.getState());
  const flow = openFlow(plateId, {
    wish: () => wishNow(store.getState()),
    moving,
    onPicture: (bitmap, header, fresh, bright) => {
      if (moved()) {
        bitmap.close();
        return;
      }
      bench.sheet.show(bitmap, header, { bright });
      bench.viewing.told(header.box);
      bench.frames.told(header, fresh);
      if (!store.getState().begun) {
        store.setState({ begun: true });
        void bench.areas.load();
      }
    },
    onStage: (picture, header, colour) => {
      bench.stages.show(header.part, picture);
      if (header.part === "colour") store.setState((s) => (s.thread === colour ? s : { thread: colour }));
    },
    onExact: (exact) => store.setState({ exact }),
    onConnected: (connected) => store.setState({ connected }),
    onError: (error) => store.setState((s) => (s.error === error ? s : { error })),
  });
  let beside: ReturnType<typeof openFlow> | null = null;
  const compared = () => {
    if ((store.getState().comparison !== null) === (beside !== null)) return;
    beside?.close();
    beside = null;
    if (store.getState().comparison === null) return;
    beside = openFlow(plateId, {
      wish: () => wishBeside(store.getState()),
      moving,
      onPicture: (bitmap, header, _, bright) => bench.beside.show(bitmap, header, { bright }),
      onStage: () => undefined,
      onExact: () => undefined,
      onConnected: () => undefined,
      onError: () => undefined,
    });
  };
  let planned = 0;
  const lay = () => {
    planned = 0;
    const s = store.getState();
    const placement = placementNow(s);
    if (!placement) return;
    bench.sheet.move(placement, s.plate);
    bench.beside.move(placement, s.plate);
  };
  const stopWatching = store.subscribe((s, before) => {
    if (s.comparison !== before.comparison) compared();
    if (showsKept(s) && !showsKept(before)) flow.cover();
    if (placementNow(s) !== null && !planned) planned = requestAnimationFrame(lay);
    flow.poke();
    beside?.poke();
  });
  const stopPlayer = store.getState().plate.frames > 1 ? openPlayer(plateId, store, bench.sheet, bench.frames.unheard) : () => undefined;
  const onScreen = () => store.setState({ hdr: brightScreen.matches });
  brightScreen.addEventListener("change", onScreen);
  const stopPreparing = followPreparing(store);
  const stopFacts = followFacts(store);
  const stopGuard = bench.keeping.guard();
  const leaveExport = bench.exports.resume();
  void bench.keeping.recover();
  const stopFollowing = bench.keeping.follow();
  const stopViewing = bench.viewing.follow();
  void bench.frames.load();
  void bench.takes.load();
  void bench.files.load();
  return () => {
    stopWatching();
    stopPlayer();
    stopPreparing();
    stopFacts();
    brightScreen.removeEventListener("change", onScreen);
    stopGuard();
    stopFollowing();
    stopViewing();
    leaveExport();
    bench.frames.leave();
    cancelAnimationFrame(planned);
    flow.close();
    beside?.close();
    beside = null;
  };
}

export const BenchContext = createContext<Bench | null>(null);

/** The plate on the bench. */
export function useBench(): Bench {
  const bench = useContext(BenchContext);
  if (!bench) throw new Error("useBench outside a bench");
  return bench;
}

/** One thing of the bench's state; the component is drawn again only when it changes. */
export function useNow<T>(select: (state: State) => T): T {
  return useStore(useBench().store, select);
}

/** Several things at once, as a new object whose parts are compared one by one. */
export function useSome<T>(select: (state: State) => T): T {
  return useStore(useBench().store, useShallow(select));
}

/** The selected light's id; its owner where one is needed. */
export function useLightId(): string | null {
  return useNow(lightIdNow);
}
