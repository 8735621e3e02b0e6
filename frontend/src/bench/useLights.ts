import { call, said, type Catalogue, type Light, type Plate, type Quad, type Rig, type SavedRig, type SettingInfo, type StripCell } from "../api/client";
import { useNotices } from "../ui/Notices";
import type { Spot } from "./places";
import { duplicateLight, lightOf, moveLight, valuesAt, withLight, withoutLight, withShared, withValues, type Selection, type Stage } from "./rig";
import type { Editing } from "./useEditing";

const OFFSET: Spot = [0.06, 0]; // plate fractions between one copy and the next

interface Bench {
  plate: Plate;
  rig: Rig;
  catalogue: Catalogue;
  editing: Editing;
  choose: (selection: Selection) => void;
}

/** What can be done with whole lights; each is one step to undo. */
export function useLights({ plate, rig, catalogue, editing, choose }: Bench) {
  const { warn } = useNotices();
  const { newest, edit } = editing;
  const named = (id: string) => lightOf(newest.current, id)?.name ?? id;
  const settingOf = (id: string, stage: string, name: string): SettingInfo | undefined =>
    catalogue.kinds.find((k) => k.name === lightOf(newest.current, id)?.kind)?.groups.find((g) => g.name === stage)?.settings.find((s) => s.name === name);
  const path = { plate_id: plate.id };
  const away = () => warn("Nothing was changed: the service does not answer.");

  const move = (id: string, to: number) => edit(moveLight(newest.current, id, to), `Move ${named(id)}`);
  const turn = (id: string) => edit(withLight(newest.current, id, (l) => ({ ...l, on: !l.on })), `Switch ${named(id)}`);

  return {
    named,
    settingOf,
    move,
    turn,
    add: (made: Light) => {
      edit({ ...newest.current, lights: [...newest.current.lights, made] }, `Add ${made.name}`);
      choose({ light: made.id });
    },
    duplicate: (id: string) => {
      const made = duplicateLight(newest.current, id);
      edit(made.rig, `Duplicate ${named(id)}`);
      choose({ light: made.id });
    },
    copies: (id: string, count: number) => {
      call("post", "/api/plates/{plate_id}/copies", { path, body: { rig: newest.current, light: id, count, offset: OFFSET } }).then(({ data, error }) => {
        if (!data) {
          warn(said(error));
          return;
        }
        edit(data.rig, `${named(id)}: ${count === 1 ? "a copy" : `${count} copies`} with offset`);
        const last = data.ids.at(-1);
        if (last) choose({ light: last });
      }, away);
    },
    leave: (id: string) => edit(withLight(newest.current, id, (l) => ({ ...l, group: "" })), `${named(id)}: on its own`),
    remove: (id: string) => edit(withoutLight(newest.current, id), `Remove ${named(id)}`),
    rename: (id: string, name: string) => edit(withLight(newest.current, id, (l) => ({ ...l, name })), `Rename ${named(id)}`),
    look: (id: string, at: Light["look_at"]) => edit(withLight(newest.current, id, (l) => ({ ...l, look_at: at })), `${named(id)}: looks at`),
    moveBy: (id: string, by: number) => {
      const to = rig.lights.findIndex((l) => l.id === id) + by;
      if (to >= 0 && to < rig.lights.length) move(id, to);
    },
    /** Sets temperature and tint to the picture's at a spot. */
    match: (id: string, spot: Spot) => {
      call("post", "/api/plates/{plate_id}/match", { path, body: { rig: newest.current, spot } }).then(({ data, error }) => {
        if (data) edit(withShared(newest.current, id, "colour", { origin: "temperature", ...data }, false), `${named(id)}: match the picture`);
        else warn(said(error));
      }, away);
    },
    /** One more quad in the row of those that a setting of a light has. */
    lengthen: (id: string, stage: Stage, s: SettingInfo) => {
      const place = { light: id, stage };
      const quads = valuesAt(newest.current, place)[s.name] as Quad[];
      const [usual] = s.default as Quad[];
      if (!usual) return;
      call("post", "/api/plates/{plate_id}/row", { path, body: { quads, usual } }).then(({ data, error }) => {
        if (data) edit(withValues(newest.current, place, { [s.name]: [...quads, data.quad] }), `${named(id)}: one more`);
        else warn(said(error));
      }, away);
    },
    pick: (id: string, swept: SettingInfo, values: StripCell["values"]) => {
      const next = values.reduce((r, v) => withShared(r, id, v.stage as Stage, { [v.setting]: v.value }, settingOf(id, v.stage, v.setting)?.own ?? false), newest.current);
      edit(next, `${named(id)}: ${swept.label}`);
    },
    /** Lays a saved rig, or some of its lights, on this plate. */
    apply: (saved: SavedRig, lights: string[] | null) => {
      call("post", "/api/plates/{plate_id}/apply", { path, body: { onto: newest.current, saved: saved.id, lights } }).then(({ data, error }) => {
        if (!data) {
          warn(said(error));
          return;
        }
        edit(data.rig, `Apply ${saved.name}`);
        choose({ light: data.rig.lights.at(-1)?.id ?? "" });
        data.notes.forEach((note) => warn(note));
      }, away);
    },
  };
}

export type LightActions = ReturnType<typeof useLights>;
