import type {
  Area,
  BenchState,
  Box,
  Conflict,
  Facts,
  FlickerCell,
  Job,
  MaskPart,
  Owner,
  Plate,
  PreviewRequest,
  ReelInfo,
  Rig,
  SettingInfo,
  Stage,
  Stroke,
  SketchCell,
  StripCell,
  Take,
} from "../../api/client";
import type { Fit, Placement, Point } from "../picture/view";
import { WHOLE } from "../picture/view";
import { AT_REST, type Hand } from "./hand";
import { remembered, SOUND } from "./remembered";
import { HOUSE, lightOf, lightOwner, matteOf, type Selection } from "./rig";

/** What can be said of the edits: all kept, being kept, or not kept and why. */
export type SaveState =
  | { is: "saved" }
  | { is: "saving" }
  /** `kept`: by this browser, so that it outlives the page. */
  | { is: "waiting"; why: string; kept: boolean };

/** How a mask is shown on the picture: not at all, over it, by itself in grey, or as the light that it lets through. */
export type MaskView = "off" | "over" | "alone" | "light";

/** Two states side by side: each the present one, the picture as shot, or a take by its number. */
export interface Comparison {
  left: string;
  right: string;
  way: "split" | "beside";
}

/** A setting whose test strip is looked at; `tried` is the cell that stands on the bench, full size. */
export interface Strip {
  stage: Stage;
  setting: SettingInfo;
  tried: StripCell["values"] | null;
}

/** A sketch of where light should fall, and the lights that fall there. It is kept while it is put aside. */
export interface Sketched {
  strokes: Stroke[];
  /** The light that is asked for; null for a new one of any kind. */
  light: string | null;
  answers: SketchCell[];
  /** How much of the search is done; null while nothing is searched. */
  share: number | null;
  wrong: string | null;
  /** The answer that stands on the bench. */
  tried: SketchCell | null;
}

/** Settings of the view. */
export type Seeing = NonNullable<PreviewRequest["viewing"]>;

export type DialogName = "leave" | "export" | "keys" | "kinds" | "lights" | "change-kind" | "copy" | "takes" | "rigs";

export interface Brush {
  size: number;
  hardness: number;
  flow: number;
  erase: boolean;
}

export interface Cutting {
  share: number;
  stop: () => void;
}

/** All that the bench shows or does. The hand changes it many times a second, so it lives outside the tree that draws
 * the page: each component asks for the one thing that it shows. */
/** What can be shown of how things lie in the plate. */
export type SpaceView = "distance" | "form";

export const ofSpace = (large: Stage | SpaceView | null): large is SpaceView => large === "distance" || large === "form";

export interface State {
  plate: Plate;
  rig: Rig;
  /** A light whose group follows it until what is shown has been kept. */
  lead: string | null;
  revision: number;
  undo: string | null;
  redo: string | null;
  save: SaveState;
  /** The last thing that a step back or on did; a new object each time. */
  stepped: { text: string } | null;
  conflict: Conflict | null;
  /** How many things that were asked of the core are not there yet. */
  asking: number;

  selection: Selection;
  hand: Hand;
  /** A stage of the selected light, or the plate's distance or form, that is shown in place of the picture. */
  large: Stage | SpaceView | null;
  solo: string | null;
  handles: boolean;
  clipping: boolean;
  /** How the picture is looked at: no part of the rig. */
  seeing: Seeing;
  /** The screen shows more than white. */
  hdr: boolean;
  maskView: MaskView;
  brushes: Record<string, Brush>;
  cutting: Cutting | null;
  /** A part whose cut is still on its way; what is drawn meanwhile is drawn on this one. */
  awaited: { owner: Owner; index: number; part: MaskPart } | null;
  dialog: DialogName | null;
  /** The picture that is being exported, or was last; and why one failed. */
  exported: Job | null;
  exportWrong: string | null;
  strip: Strip | null;
  sketch: Sketched;
  comparison: Comparison | null;
  split: number;

  area: Point;
  /** Where the hand put the plate; null while it is fitted. */
  placed: Placement | null;
  /** How closely it is fitted then. */
  fit: Fit;
  /** What the service says is seen of the frame. */
  seen: Box;

  /** Of a reel: what there is to know of its frames, the one that is seen, and where it begins and ends. */
  reel: ReelInfo | null;
  frame: number;
  /** Width × height of the proxy that the picture on the screen was made from, where it was. */
  proxy: string | null;
  span: [number, number];
  playing: boolean;
  /** The hand holds the playhead. */
  scrubbing: boolean;
  /** Whether its sound is heard while it is played. */
  sound: boolean;
  /** What is being found over all frames: the first is at work, the others wait for it. */
  tasks: { label: string; share: number; stop: () => void }[];
  /** The first frame of every shot of the reel but the first, as far as they are found. */
  cuts: number[];
  /** Frames at which what was followed was lost. */
  lost: number[];
  flicker: FlickerCell | null;
  /** Frames a second that are played, and those that are at hand. */
  rate: number | null;
  ready: number[];

  /** Areas that were found in the picture. */
  proposed: Area[];
  /** Kinds of light that are not ready yet, with the seconds that they take. */
  preparing: Record<string, number>;
  facts: Facts | null;
  takes: Take[];
  files: Record<string, string>;
  /** A first picture has come. */
  begun: boolean;
  /** The exact picture of what is wished for is on the screen. */
  exact: boolean;
  connected: boolean;
  error: string | null;
  /** The colour of the selected light, for its thread. */
  thread: string | null;
}

/** Media Queries Level 5: whether the screen shows more than white. */
export const brightScreen = window.matchMedia("(dynamic-range: high)");

export function stateOf({ plate, revision, rig, undo, redo }: BenchState, brushes: Record<string, Brush>, seeing: Seeing): State {
  return {
    plate,
    rig,
    lead: null,
    revision,
    undo: undo ?? null,
    redo: redo ?? null,
    save: { is: "saved" },
    stepped: null,
    conflict: null,
    asking: 0,
    selection: settled(lightOwner(""), rig),
    hand: AT_REST,
    large: null,
    solo: null,
    handles: true,
    clipping: false,
    seeing,
    hdr: brightScreen.matches,
    maskView: "off",
    brushes,
    cutting: null,
    awaited: null,
    dialog: null,
    exported: null,
    exportWrong: null,
    strip: null,
    sketch: { strokes: [], light: null, answers: [], share: null, wrong: null, tried: null },
    comparison: null,
    split: 0.5,
    area: { x: 0, y: 0 },
    placed: null,
    fit: "close",
    seen: WHOLE,
    reel: null,
    frame: 0,
    proxy: null,
    span: [0, plate.frames],
    playing: false,
    scrubbing: false,
    sound: remembered(SOUND) !== false,
    tasks: [],
    cuts: [],
    lost: [],
    flicker: null,
    rate: null,
    ready: [],
    proposed: [],
    preparing: {},
    facts: null,
    takes: [],
    files: {},
    begun: false,
    exact: false,
    connected: false,
    error: null,
    thread: null,
  };
}

/** What a selection that no longer exists becomes: the last light, or the plate. */
export function settled(selection: Selection, rig: Rig): Selection {
  if (selection === "plate") return selection;
  if (selection.of === "house") return HOUSE;
  if (selection.of === "matte") return matteOf(rig, selection.id) ? selection : "plate";
  if (lightOf(rig, selection.id)) return selection;
  const last = rig.lights.at(-1);
  return last ? lightOwner(last.id) : "plate";
}
