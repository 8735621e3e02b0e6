import { call, said, type Catalogue, type Mask, type Matte, type Rig } from "../../api/client";
import { useNotices } from "../../ui/Notices";
import { freeId, lightOf, maskOf, matteOf, newPart, withMask, withMatte, type Owner, type Selection } from "../rig";
import type { Editing } from "../useEditing";
import type { MaskActions } from "./MaskPanel";
import type { Masking } from "./useMasking";

interface Bench {
  rig: Rig;
  catalogue: Catalogue;
  editing: Editing;
  masking: Masking;
  choose: (selection: Selection) => void;
}

export type MatteActions = ReturnType<typeof useMattes>;

/** What can be done with mattes, and with the mask of anything. */
export function useMattes({ rig, catalogue, editing, masking, choose }: Bench) {
  const { say, warn } = useNotices();
  const { newest, edit, rest, setting } = editing;

  const add = (kind: string) => {
    const info = catalogue.parts.find((p) => p.name === kind);
    if (!info) return;
    const empty: Mask = { start: "nothing", parts: [] };
    const id = freeId("matte", newest.current.mattes.map((m) => m.id));
    const made: Matte = { id, name: kind === "subject" ? "Subject" : `${info.title} matte`, mask: { ...empty, parts: [newPart(info, empty)] } };
    edit({ ...newest.current, mattes: [...newest.current.mattes, made] }, `New matte ${made.name}`);
    choose({ matte: id });
    masking.open({ matte: id }, 0, kind === "subject");
  };
  const remove = (gone: Matte) => {
    const uses = (mask: Mask) => mask.parts.some((p) => p.part === "matte" && p.matte === gone.id);
    const users = [...newest.current.lights.filter((l) => uses(l.mask)).map((l) => l.name), ...(uses(newest.current.house.mask) ? ["the house light"] : [])];
    if (users.length > 0) say(`${gone.name} was used by ${users.join(" and ")}, which ${users.length === 1 ? "goes" : "go"} on without it. Undo brings it back.`);
    edit({ ...newest.current, mattes: newest.current.mattes.filter((m) => m.id !== gone.id) }, `Remove the matte ${gone.name}`);
  };
  const nameOf = (of: Owner) => (of === "house" ? "the house light" : "light" in of ? (lightOf(newest.current, of.light)?.name ?? of.light) : (matteOf(newest.current, of.matte)?.name ?? of.matte));

  const maskActions = (of: Owner): MaskActions => {
    const others: Owner[] = ["house", ...rig.lights.map((l) => ({ light: l.id })), ...rig.mattes.map((m) => ({ matte: m.id }))];
    const mask = () => maskOf(newest.current, of) ?? { start: "everything" as const, parts: [] };
    return {
      onStart: (start) => edit(withMask(newest.current, of, { ...mask(), start }), "Mask begins with"),
      onInvert: () => {
        call("post", "/api/masks/inverted", { body: mask() }).then(
          ({ data, error }) => (data ? edit(withMask(newest.current, of, data), `Invert the mask of ${nameOf(of)}`) : warn(said(error))),
          () => warn("The mask was not inverted: the service does not answer."),
        );
      },
      copies: others
        .filter((other) => JSON.stringify(other) !== JSON.stringify(of))
        .map((other) => ({ id: JSON.stringify(other), text: nameOf(other), act: () => edit(withMask(newest.current, other, mask()), `Copy the mask of ${nameOf(of)}`) })),
      onPart: (part, name, value) => setting({ mask: of, part }, name, value),
      onPartRest: rest,
      onPartReset: (part, s) => {
        const now = mask().parts[part];
        if (now && masking.index === part) masking.replace({ ...now, [s.name]: s.default }, `Reset ${s.label}`);
      },
      onParts: (make, label) => edit(withMask(newest.current, of, { ...mask(), parts: make(mask().parts) }), label),
      onNewMatte: () => add("subject"),
    };
  };

  return {
    add,
    remove,
    rename: (matte: Matte, name: string) => edit(withMatte(newest.current, matte.id, (m) => ({ ...m, name })), `Rename ${matte.name}`),
    maskActions,
  };
}
