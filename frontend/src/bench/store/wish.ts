import type { Owner, Painting, Rig, Show, SketchCell, Take, View } from "../../api/client";
import { wantedView, wholeView } from "../picture/view";
import { trackOf } from "./keys";
import { withAnswer, withPicked } from "./lights";
import { kept } from "./memo";
import { lightOwner, soloed, withLight } from "./rig";
import { secondsLeft, showable, unprepared } from "./preparing";
import { boxNow, lightIdNow, lightNow, ownerNow, paneNow, partIndexNow, placementNow, showsKept } from "./selectors";
import { ofSpace, type Seeing, type State, type Strip } from "./state";

/** A picture that is wanted on the screen. */
export interface Wish {
  rig: Rig;
  /** A light whose group follows it. */
  lead: string | null;
  view: View;
  /** Of a reel, which frame. */
  frame: number;
  show: Show;
  /** The light whose stages are wanted, small. */
  light: string | null;
  clipping: boolean;
  /** The screen shows more than white. */
  hdr: boolean;
  seeing: Seeing;
  /** A stroke that is being drawn on the rig. */
  painting: Painting | null;
  /** The hand goes over the frames, so that a rough draft will do. */
  scrubbing: boolean;
}

const RESULT: Show = { what: "result" };
const BEFORE: Show = { what: "before" };

function showOf({ hand, large, maskView, ...rest }: State, owner: Owner | null, light: string | null): Show {
  if (hand.held === "before") return BEFORE;
  if (hand.held !== null || rest.strip?.tried) return RESULT;
  if (ofSpace(large)) return { what: large };
  if (large && light) return { what: "stage", light, stage: large };
  if (hand.tool.is === "stand" && light) return { what: "cut", light };
  if (!owner || maskView === "off") return RESULT;
  if (maskView === "light") return light ? { what: "light", light } : RESULT;
  return { what: maskView === "over" ? "cover" : "mask", owner };
}

type Tried = Strip["tried"] | undefined;

const litRig = kept((rig: Rig, without: boolean, light: string | null, solo: string | null, tried: Tried, frame: number): Rig => {
  const picked = tried && light ? withPicked(rig, light, tried, frame) : rig;
  return without && light ? withLight(picked, light, (l) => ({ ...l, on: false })) : soloed(picked, solo);
});

const answered = kept((rig: Rig, answer: SketchCell, frame: number): Rig => withAnswer(rig, answer.light, frame));

/** The rig with the answer to a sketch that is looked at. */
function answeredRig(s: State, rig: Rig): Rig {
  return s.hand.tool.is === "sketch" && s.sketch.tried ? answered(rig, s.sketch.tried, s.frame) : rig;
}

/** The rig and what of it is shown for one side of a comparison. */
function sideOf(side: string, present: Rig, takes: Take[], kinds: string): { rig: Rig; show: Show } {
  if (side === "shot") return { rig: present, show: BEFORE };
  return { rig: showable(takes.find((t) => String(t.id) === side)?.rig ?? present, kinds), show: RESULT };
}

function viewNow(s: State): View | null {
  const placement = placementNow(s);
  return placement && wantedView(placement, paneNow(s), s.plate, window.devicePixelRatio, boxNow(s));
}

function paintingNow(s: State): Painting | null {
  const { tool } = s.hand;
  const light = lightIdNow(s);
  if (tool.is === "light" && tool.drawn && light) return { owner: lightOwner(light), part: null, stroke: tool.drawn };
  if (tool.is !== "part" || tool.by !== "brush" || !tool.drawn) return null;
  const part = partIndexNow(s);
  return part === null ? null : { owner: tool.owner, part, stroke: tool.drawn };
}

/** What is wanted now: on the bench, or on the left of a comparison. */
export function wishNow(s: State): Wish | null {
  return showsKept(s) ? null : wishOf(s);
}

/** What is wanted of the frames ahead of the one that is seen; null where there are none. */
export function wishAhead(s: State): Wish | null {
  if (s.plate.frames < 2 || s.comparison || s.strip || s.dialog) return null;
  const wish = wishOf(s);
  const placement = placementNow(s);
  if (!wish || !placement) return null;
  // A crop that moves shows another part of each frame: all of it is made, and the sheet cuts it off.
  const view = trackOf(s.rig, "prepare", "crop") ? wholeView(placement, s.plate, window.devicePixelRatio) : wish.view;
  return { ...wish, view, hdr: false, light: null, painting: null, scrubbing: false };
}

function wishOf(s: State): Wish | null {
  const view = viewNow(s);
  if (!view) return null;
  const kinds = unprepared(s);
  const light = secondsLeft(s, lightNow(s)?.kind) === undefined ? lightIdNow(s) : null;
  if (s.comparison) {
    return {
      ...sideOf(s.comparison.left, s.rig, s.takes, kinds),
      lead: null,
      view,
      frame: s.frame,
      light,
      clipping: s.clipping,
      hdr: s.hdr,
      seeing: s.seeing,
      painting: null,
      scrubbing: s.scrubbing,
    };
  }
  return {
    // Where nothing is tried the frame makes no difference to the rig.
    rig: litRig(
      showable(answeredRig(s, s.rig), kinds),
      s.hand.held === "without",
      light,
      s.hand.held === "without" ? null : s.solo,
      s.strip?.tried,
      s.strip?.tried ? s.frame : 0,
    ),
    show: showOf(s, ownerNow(s), light),
    lead: s.lead ?? (s.strip?.tried ? light : null),
    view,
    frame: s.frame,
    light,
    clipping: s.clipping,
    hdr: s.hdr,
    seeing: s.seeing,
    painting: paintingNow(s),
    scrubbing: s.scrubbing,
  };
}

/** What is wanted on the right of a comparison. */
export function wishBeside(s: State): Wish | null {
  const view = s.comparison && viewNow(s);
  if (!s.comparison || !view) return null;
  return {
    ...sideOf(s.comparison.right, s.rig, s.takes, unprepared(s)),
    lead: null,
    view,
    frame: s.frame,
    light: null,
    clipping: s.clipping,
    hdr: s.hdr,
    seeing: s.seeing,
    painting: null,
    scrubbing: s.scrubbing,
  };
}
