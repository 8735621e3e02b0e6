import type { Box, Light, Mask, MaskPart, Matte, Owner } from "../../api/client";
import { fitted, WHOLE, type Fit, type Placement, type Point } from "../picture/view";
import { kept } from "./memo";
import { lightOf, maskOf, matteOf, sameOwner } from "./rig";
import type { State } from "./state";

/** The selected light, if it is a light that is selected. */
export function lightNow({ selection, rig }: State): Light | undefined {
  return selection !== "plate" && selection.of === "light" ? lightOf(rig, selection.id) : undefined;
}

export function lightIdNow({ selection }: State): string | null {
  return selection !== "plate" && selection.of === "light" ? selection.id : null;
}

export function matteNow({ selection, rig }: State): Matte | undefined {
  return selection !== "plate" && selection.of === "matte" ? matteOf(rig, selection.id) : undefined;
}

/** Whose mask is in the column: everything that is selected has one, but the plate. */
export function ownerNow({ selection }: State): Owner | null {
  return selection === "plate" ? null : selection;
}

export function maskNow(s: State): Mask | undefined {
  const owner = ownerNow(s);
  return owner ? maskOf(s.rig, owner) : undefined;
}

/** Which part of the selected mask is worked on. */
export function partIndexNow(s: State): number | null {
  const { tool } = s.hand;
  if (tool.is !== "part" || !sameOwner(tool.owner, ownerNow(s))) return null;
  return tool.index < (maskNow(s)?.parts.length ?? 0) ? tool.index : null;
}

/** How many parts the selected mask has. */
export function partCountNow(s: State): number {
  return maskNow(s)?.parts.length ?? 0;
}

export function partNow(s: State): MaskPart | null {
  const index = partIndexNow(s);
  if (index === null) return null;
  if (s.awaited?.index === index && sameOwner(s.awaited.owner, ownerNow(s))) return s.awaited.part;
  return maskNow(s)?.parts[index] ?? null;
}

/** What is drawn of the frame: all of it while it is cropped. */
export function boxNow({ hand, seen }: State): Box {
  return hand.tool.is === "crop" ? WHOLE : seen;
}

const paneOf = kept((area: Point, halved: boolean): Point => (halved ? { x: area.x / 2, y: area.y } : area));

/** The frames where a shot begins, in order: detected cuts, corrected by those set or removed by hand. */
export function cutsNow({ cuts, rig: { shots } }: State): number[] {
  const found = cuts.filter((frame) => !shots.go_on.includes(frame));
  return [...new Set([...found, ...shots.begin])].sort((a, b) => a - b);
}

/** The shot that is seen, as far as it lies between the marks: its first frame, and the one after its last. */
export function shotNow(s: State): [number, number] {
  const { frame, span, plate } = s;
  const cuts = [0, ...cutsNow(s), plate.frames];
  const begin = cuts.findLast((cut) => cut <= frame) ?? 0;
  const end = cuts.find((cut) => cut > frame) ?? plate.frames;
  // A frame beyond the marks has its whole shot.
  return frame < span[0] || frame >= span[1] ? [begin, end] : [Math.max(begin, span[0]), Math.min(end, span[1])];
}

/** Its frames in words; "" for what is one picture. */
export function shotName(s: State): string {
  if (s.plate.frames < 2) return "";
  const [begin, end] = shotNow(s);
  return `Frames ${String(begin)} to ${String(end - 1)}`;
}

/** The room that a picture has: two that lie side by side have half of the area each. */
export function paneNow({ area, comparison }: State): Point {
  return paneOf(area, comparison?.way === "beside");
}

const placementOf = kept(
  (placed: Placement | null, pane: Point, plate: State["plate"], angle: number, box: Box, fit: Fit): Placement | null => {
    if (placed) return { ...placed, angle };
    return pane.x > 0 ? fitted(pane, plate, angle, box, fit) : null;
  },
);

/** How the plate lies in the picture area. */
export function placementNow(s: State): Placement | null {
  return placementOf(s.placed, paneNow(s), s.plate, s.rig.prepare.straighten, boxNow(s), s.fit);
}

const atOriginOf = kept((scale: number, angle: number): Placement => ({ scale, angle, x: 0, y: 0 }));

/** The same with the plate's corner at 0: for what lies on a layer that moves with the plate. */
export function placementAtOrigin(s: State): Placement | null {
  const placement = placementNow(s);
  return placement && atOriginOf(placement.scale, placement.angle);
}

/** Which plate, and of a reel which frame, something is asked of. */
export function atFrame({ plate, frame }: State): { path: { plate_id: number }; query: { frame: number } } {
  return { path: { plate_id: plate.id }, query: { frame } };
}

/** Whether lit frames that are kept show what is seen: while they are played, and where the hand comes to one of them. */
export function showsKept(s: State): boolean {
  return s.playing || (s.scrubbing && s.ready.includes(s.frame));
}

/** Whether what belongs to the picture may be shown on it: not while two are compared, one is held, or a reel is played. */
export function isClear(s: State): boolean {
  return s.hand.held === null && s.comparison === null && s.strip === null && !s.playing;
}
