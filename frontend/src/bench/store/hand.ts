import type { Owner, Proposal, Stroke } from "../../api/client";

/** How a part of a mask is worked on: by its handles, its brush, a box round a subject and strokes that say what is in
 * and what is out of it, a click on a colour. */
export type PartTool = "handles" | "brush" | "box" | "hints" | "click";

/** What the pointer is for on the picture; one at a time. */
export type Tool =
  /** The handles of what is selected. */
  | { is: "handles" }
  | { is: "crop" }
  | { is: "horizon" }
  /** The next click says where the colour is matched. */
  | { is: "spot" }
  /** A click says what the light stands at; what is nearer is tinted. */
  | { is: "stand" }
  /** Light is painted; `drawn` is the stroke that is on its way. */
  | { is: "light"; drawn: Stroke | null }
  /** A part of a mask is worked on. `fresh`: nothing has been done with it yet. */
  | { is: "part"; owner: Owner; index: number; by: PartTool; drawn: Stroke | null; fresh: boolean }
  /** Where light should fall is sketched. */
  | { is: "sketch" }
  | { is: "finder"; proposals: Proposal[] };

/** What the hand is doing. */
export interface Hand {
  tool: Tool;
  /** A setting is being moved; it is kept when it rests. */
  moving: boolean;
  /** What is looked at for as long as a key or a button is held. */
  held: "before" | "without" | null;
}

export type Act =
  | { do: "take up"; tool: Tool }
  | { do: "put down" }
  | { do: "move" }
  | { do: "rest" }
  | { do: "draw"; stroke: Stroke | null }
  | { do: "hold"; what: "before" | "without" }
  | { do: "let go" };

export const HANDLES: Tool = { is: "handles" };
export const AT_REST: Hand = { tool: HANDLES, moving: false, held: null };

/** What the hand does after an act. */
export function handled(hand: Hand, act: Act): Hand {
  switch (act.do) {
    case "take up":
      return { ...hand, tool: act.tool };
    case "put down":
      return { ...hand, tool: HANDLES };
    case "move":
      return hand.moving ? hand : { ...hand, moving: true };
    case "rest":
      return hand.moving ? { ...hand, moving: false } : hand;
    case "draw":
      return hand.tool.is === "light" || hand.tool.is === "part" ? { ...hand, tool: { ...hand.tool, drawn: act.stroke } } : hand;
    case "hold":
      return { ...hand, held: act.what };
    case "let go":
      return { ...hand, held: null };
  }
}
