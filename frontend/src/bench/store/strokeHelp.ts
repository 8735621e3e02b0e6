import { lightNow, ownerNow, partNow } from "./selectors";
import { brushNow } from "./masking";
import { matteOf } from "./rig";
import type { State } from "./state";

/** What a stroke on the picture will do now; null while nothing is painted. */
export function strokeHelp(s: State): string | null {
  const { tool } = s.hand;
  const turned = "with Alt, the other way round";
  if (tool.is === "sketch") return "A stroke says where light should fall; with Alt, where it should not.";
  if (tool.is === "light") return `A stroke ${brushNow(s).erase ? "takes painted light away" : "paints light"}; ${turned}.`;
  const part = partNow(s);
  if (tool.is !== "part" || !part || (tool.by !== "brush" && tool.by !== "hints")) return null;
  const owner = ownerNow(s);
  const matte = owner?.of === "matte" ? matteOf(s.rig, owner.id) : undefined;
  const takes = (part.combine === "subtract") !== brushNow(s).erase;
  if (matte) return `A stroke ${takes ? "takes from" : "adds to"} the matte “${matte.name || matte.id}”; ${turned}.`;
  const whose = owner?.of === "house" ? "the house light" : `“${lightNow(s)?.name ?? "the light"}”`;
  return `A stroke ${takes ? "takes" : "lets"} ${whose} ${takes ? "off" : "in"} where it is drawn; ${turned}.`;
}
