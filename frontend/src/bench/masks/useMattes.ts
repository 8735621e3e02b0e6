import type { Mask, Matte, Owner, PartInfo, Rig } from "../../api/client";
import { HOUSE, lightOf, lightOwner, maskOf, matteOf, matteOwner, sameOwner, withMask, withMatte } from "../rig";
import type { Editing } from "../useEditing";
import type { MaskActions } from "./maskActions";
import { toolsOf } from "./partTools";
import type { Masking } from "./useMasking";

interface Bench {
  rig: Rig;
  parts: PartInfo[];
  editing: Editing;
  masking: Masking;
}

export type MatteActions = ReturnType<typeof useMattes>;

/** What can be done with mattes, and with the mask of anything. */
export function useMattes({ rig, parts, editing, masking }: Bench) {
  const { newest, ask, edit, rest, setting } = editing;

  const add = (part: string) => ask({ do: "new-matte", part });
  const nameOf = (of: Owner): string => {
    if (of.of === "house") return "the house light";
    return (of.of === "light" ? lightOf(newest.current, of.id) : matteOf(newest.current, of.id))?.name || of.id;
  };

  const maskActions = (of: Owner): MaskActions => {
    const others: Owner[] = [HOUSE, ...rig.lights.map((l) => lightOwner(l.id)), ...rig.mattes.map((m) => matteOwner(m.id))];
    const mask = (): Mask => maskOf(newest.current, of) ?? { start: "everything", parts: [] };
    return {
      onStart: (start) => edit(withMask(newest.current, of, { ...mask(), start }), "Mask begins with"),
      onInvert: () => ask({ do: "invert-mask", owner: of }),
      copies: others
        .filter((other) => !sameOwner(other, of))
        .map((other) => ({
          id: JSON.stringify(other),
          text: nameOf(other),
          act: () => edit(withMask(newest.current, other, mask()), `Copy the mask of ${nameOf(of)}`),
        })),
      onPart: (part, name, value) => setting({ mask: of, part }, name, value),
      onPartRest: rest,
      onPartReset: (part, s) => {
        const now = mask().parts[part];
        if (now && masking.index === part) masking.replace({ ...now, [s.name]: s.default }, `Reset ${s.label}`);
      },
      onParts: (make, label) => edit(withMask(newest.current, of, { ...mask(), parts: make(mask().parts) }), label),
      onNewMatte: () => {
        const cut = parts.find((p) => toolsOf(p).box) ?? parts[0];
        if (cut) add(cut.name);
      },
    };
  };

  return {
    add,
    remove: (gone: Matte) => ask({ do: "remove-matte", matte: gone.id }),
    rename: (matte: Matte, name: string) =>
      edit(
        withMatte(newest.current, matte.id, (m) => ({ ...m, name })),
        `Rename ${matte.name}`,
      ),
    maskActions,
  };
}
