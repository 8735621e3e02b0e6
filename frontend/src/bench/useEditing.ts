import { useRef, useState } from "react";
import type { GroupInfo, Rig, SettingInfo } from "../api/client";
import { withShared, withValues, type Place, type SettingValue, type Stage } from "./rig";
import type { BenchModel } from "./useBench";

export type Editing = ReturnType<typeof useEditing>;

function defaults(group: GroupInfo): Record<string, unknown> {
  return Object.fromEntries(group.settings.map((s) => [s.name, s.default]));
}

/** How the rig is edited: shown at once while a hand moves, kept as one step when it rests. */
export function useEditing(bench: BenchModel, rig: Rig) {
  const [dragging, setDragging] = useState(false);
  // The newest rig, for handlers that outlive a drawing; whether it has changes that are not yet a step.
  const newest = useRef(rig);
  newest.current = rig;
  const dirty = useRef(false);

  const edit = (next: Rig, label: string) => {
    dirty.current = false;
    newest.current = next;
    bench.commit(next, label);
  };
  const change = (next: Rig) => {
    dirty.current = true;
    newest.current = next;
    setDragging(true);
    bench.change(next);
  };
  const rest = (label: string) => {
    setDragging(false);
    if (!dirty.current) return;
    dirty.current = false;
    bench.commit(newest.current, label);
  };

  return {
    dragging,
    newest,
    edit,
    change,
    rest,
    setting: (place: Place, name: string, value: SettingValue) => change(withValues(newest.current, place, { [name]: value })),
    reset: (place: Place, s: SettingInfo) => edit(withValues(newest.current, place, { [s.name]: s.default }), `Reset ${s.label}`),
    /** What is changed of one light is changed of all that belong together with it, but for where each is. */
    shared: (id: string, stage: Stage, s: SettingInfo, value: SettingValue) => change(withShared(newest.current, id, stage, { [s.name]: value }, s.own)),
    resetShared: (id: string, stage: Stage, settings: SettingInfo[], label: string) =>
      edit(settings.reduce((r, s) => withShared(r, id, stage, { [s.name]: s.default }, s.own), newest.current), `Reset ${label}`),
    resetAll: (place: Place, group: GroupInfo, also: Record<string, unknown> = {}) =>
      edit(withValues(newest.current, place, { ...defaults(group), ...also }), `Reset ${group.label}`),
  };
}
