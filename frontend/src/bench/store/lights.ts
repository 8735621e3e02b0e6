import type { StoreApi } from "zustand";
import { api, type Light, type SavedRig, type Stage, type StripCell } from "../../api/client";
import type { Editing, InShots } from "./editing";
import type { Spot } from "./places";
import { withShining, withValuesAt } from "./keys";
import { lightOf, moveLight, stages, valuesAt, withLight, withoutLight } from "./rig";
import { atFrame } from "./selectors";
import type { State } from "./state";

export type Lights = ReturnType<typeof makeLights>;

/** What can be done with whole lights; each is one step to undo. */
export function makeLights(store: StoreApi<State>, editing: Editing) {
  const { now, edit, ask, takeFrom } = editing;
  const named = (id: string) => lightOf(now(), id)?.name ?? id;
  const params = { path: { plate_id: store.getState().plate.id } };
  const move = (id: string, to: number) => edit(moveLight(now(), id, to), `Move ${named(id)}`);
  return {
    /** Adds a light of a kind, so that it shows on this plate, and selects it. */
    add: (kind: string, done: () => void) =>
      takeFrom((rig) => api.POST("/api/plates/{plate_id}/edits/add", { params: atFrame(store.getState()), body: { rig, kind } }), done),
    /** Changes a light into another kind. */
    become: (id: string, kind: string) =>
      takeFrom((rig) =>
        api.POST("/api/plates/{plate_id}/edits/change-kind", { params: atFrame(store.getState()), body: { rig, light: id, kind } }),
      ),
    turn: (id: string) =>
      edit(
        withShining(now(), id, !lightOf(now(), id)?.on, store.getState().frame),
        `Switch ${named(id)} ${lightOf(now(), id)?.on ? "off" : "on"}`,
      ),
    /** Has a light shine in the shot that is seen, as far as it lies between the marks, or in all. */
    shine: (id: string, how: InShots) => editing.inShot({ owner: id, path: "on", how }),
    solo: (id: string) => store.setState((s) => ({ solo: s.solo === id ? null : id })),
    duplicate: (id: string) => ask({ do: "duplicate", light: id }),
    mirror: (id: string) => ask({ do: "mirror", light: id }),
    copies: (id: string, count: number) => ask({ do: "copy", light: id, count }),
    leave: (id: string) =>
      edit(
        withLight(now(), id, (l) => ({ ...l, group: "" })),
        `${named(id)}: leave its group`,
      ),
    remove: (id: string) => edit(withoutLight(now(), id), `Remove ${named(id)}`),
    rename: (id: string, name: string) =>
      edit(
        withLight(now(), id, (l) => ({ ...l, name })),
        `Rename ${named(id)}`,
      ),
    look: (id: string, at: Light["look_at"]) =>
      edit(
        withLight(now(), id, (l) => ({ ...l, look_at: at })),
        `${named(id)}: looks at`,
      ),
    move,
    moveBy: (id: string, by: number) => {
      const to = now().lights.findIndex((l) => l.id === id) + by;
      if (to >= 0 && to < now().lights.length) move(id, to);
    },
    /** Matches a light to the picture at a spot, or at its source. */
    match: (id: string, spot: Spot | null) =>
      takeFrom((rig) =>
        api.POST("/api/plates/{plate_id}/edits/match", { params: atFrame(store.getState()), body: { rig, light: id, spot } }),
      ),
    /** Has a light stand as near as what is seen at a spot. */
    stand: (id: string, spot: Spot) =>
      takeFrom((rig) =>
        api.POST("/api/plates/{plate_id}/edits/stand", { params: atFrame(store.getState()), body: { rig, light: id, spot } }),
      ),
    /** Takes what was picked from a test strip. */
    pick: (id: string, label: string, values: StripCell["values"]) =>
      edit(withPicked(now(), id, values, store.getState().frame), `${named(id)}: ${label}`, id),
    /** Lays a saved rig, or some of its lights, on this plate. */
    apply: (saved: SavedRig, lights: string[] | null, done: () => void) =>
      takeFrom((rig) => api.POST("/api/plates/{plate_id}/edits/apply", { params, body: { rig, saved: saved.id, lights } }), done),
  };
}

/** The rig with the settings of a cell of a test strip. */
export function withPicked(rig: State["rig"], light: string, values: StripCell["values"], frame: number): State["rig"] {
  return values.reduce((r, v) => withValuesAt(r, { light, stage: v.stage as Stage }, { [v.setting]: v.value }, frame), rig);
}

/** The rig with a light as an answer has it, or with a new one; a setting with keys gets one at the frame. */
export function withAnswer(rig: State["rig"], answer: Light, frame: number): State["rig"] {
  if (!lightOf(rig, answer.id)) return { ...rig, lights: [...rig.lights, answer] };
  return stages.reduce((made, stage) => {
    const place = { light: answer.id, stage };
    const before = valuesAt(made, place);
    const values = Object.entries(answer[stage]).filter(([name, value]) => JSON.stringify(before[name]) !== JSON.stringify(value));
    return values.length > 0 ? withValuesAt(made, place, Object.fromEntries(values), frame) : made;
  }, rig);
}
