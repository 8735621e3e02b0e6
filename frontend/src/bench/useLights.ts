import { api, type Light, type Plate, type SavedRig, type StripCell } from "../api/client";
import type { Spot } from "./places";
import { lightOf, lightOwner, moveLight, withLight, withoutLight, withValues, type Selection, type Stage } from "./rig";
import type { Editing } from "./useEditing";

interface Bench {
  plate: Plate;
  editing: Editing;
  choose: (selection: Selection) => void;
}

/** What can be done with whole lights; each is one step to undo. */
export function useLights({ plate, editing, choose }: Bench) {
  const { newest, edit, ask, takeFrom } = editing;
  const named = (id: string) => lightOf(newest.current, id)?.name ?? id;
  const params = { path: { plate_id: plate.id } };
  const move = (id: string, to: number) => edit(moveLight(newest.current, id, to), `Move ${named(id)}`);
  return {
    add: (light: Light) => {
      edit({ ...newest.current, lights: [...newest.current.lights, light] }, `Add ${light.name}`);
      choose(lightOwner(light.id));
    },
    turn: (id: string) =>
      edit(
        withLight(newest.current, id, (l) => ({ ...l, on: !l.on })),
        `Switch ${named(id)} ${lightOf(newest.current, id)?.on ? "off" : "on"}`,
      ),
    duplicate: (id: string) => ask({ do: "duplicate", light: id }),
    copies: (id: string, count: number) => ask({ do: "copy", light: id, count }),
    leave: (id: string) =>
      edit(
        withLight(newest.current, id, (l) => ({ ...l, group: "" })),
        `${named(id)}: leave its group`,
      ),
    remove: (id: string) => edit(withoutLight(newest.current, id), `Remove ${named(id)}`),
    rename: (id: string, name: string) =>
      edit(
        withLight(newest.current, id, (l) => ({ ...l, name })),
        `Rename ${named(id)}`,
      ),
    look: (id: string, at: Light["look_at"]) =>
      edit(
        withLight(newest.current, id, (l) => ({ ...l, look_at: at })),
        `${named(id)}: looks at`,
      ),
    move,
    moveBy: (id: string, by: number) => {
      const to = newest.current.lights.findIndex((l) => l.id === id) + by;
      if (to >= 0 && to < newest.current.lights.length) move(id, to);
    },
    /** Sets temperature and tint to the picture's at a spot. */
    match: (id: string, spot: Spot) =>
      takeFrom((rig) => api.POST("/api/plates/{plate_id}/edits/match", { params, body: { rig, light: id, spot } })),
    /** Takes what was picked from a test strip. */
    pick: (id: string, label: string, values: StripCell["values"]) => {
      const next = values.reduce((r, v) => withValues(r, { light: id, stage: v.stage as Stage }, { [v.setting]: v.value }), newest.current);
      edit(next, `${named(id)}: ${label}`, id);
    },
    /** Lays a saved rig, or some of its lights, on this plate. */
    apply: (saved: SavedRig, lights: string[] | null) =>
      takeFrom((rig) => api.POST("/api/plates/{plate_id}/edits/apply", { params, body: { rig, saved: saved.id, lights } })),
  };
}

export type LightActions = ReturnType<typeof useLights>;
