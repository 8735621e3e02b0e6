import { useRef, useState } from "react";
import { api, said, type Edit, type Edited, type GroupInfo, type Owner, type Rig, type SettingInfo } from "../api/client";
import { useNotices } from "../ui/Notices";
import { withValues, type Place, type Stage } from "./rig";
import type { BenchModel } from "./useBench";

export type Editing = ReturnType<typeof useEditing>;

function defaults(group: GroupInfo): Record<string, unknown> {
  return Object.fromEntries(group.settings.map((s) => [s.name, s.default]));
}

/** How the rig is edited: shown at once while a hand moves, kept as one step when it rests; or by the core's rules. */
export function useEditing(plateId: number, bench: BenchModel, rig: Rig, onChosen: (owner: Owner, part: number | null) => void) {
  const { say, warn } = useNotices();
  const [dragging, setDragging] = useState(false);
  // The newest rig, for handlers that outlive a drawing; the changes that are not yet a step, and whose group follows.
  const newest = useRef(rig);
  newest.current = rig;
  const dirty = useRef<{ lead: string | null } | null>(null);

  const edit = (next: Rig, label: string, lead: string | null = null) => {
    dirty.current = null;
    newest.current = next;
    bench.commit(next, label, lead);
  };
  const change = (next: Rig, lead: string | null = null) => {
    dirty.current = { lead };
    newest.current = next;
    setDragging(true);
    bench.change(next, lead);
  };
  const rest = (label: string) => {
    setDragging(false);
    if (!dirty.current) return;
    const { lead } = dirty.current;
    dirty.current = null;
    bench.commit(newest.current, label, lead);
  };
  /** Takes over what the core made of the rig. */
  const take = (edited: Edited) => {
    edit(edited.rig, edited.label);
    if (edited.owner) onChosen(edited.owner, edited.part ?? null);
    edited.notes?.forEach((note) => say(note));
  };
  /** Takes over an answer of the service, or says why there is none. */
  const takeFrom = (asked: Promise<{ data?: Edited; error?: unknown }>, done?: () => void) => {
    asked.then(
      ({ data, error }) => {
        if (!data) {
          warn(said(error));
          return;
        }
        take(data);
        done?.();
      },
      () => warn("Nothing was changed: the service does not answer."),
    );
  };

  return {
    dragging,
    newest,
    edit,
    change,
    rest,
    takeFrom,
    /** Has the core do something to the rig, by its rules. */
    ask: (what: Edit, done?: () => void) =>
      takeFrom(
        api.POST("/api/plates/{plate_id}/edits", { params: { path: { plate_id: plateId } }, body: { rig: newest.current, edit: what } }),
        done,
      ),
    setting: (place: Place, name: string, value: unknown) => change(withValues(newest.current, place, { [name]: value })),
    reset: (place: Place, s: SettingInfo) => edit(withValues(newest.current, place, { [s.name]: s.default }), `Reset ${s.label}`),
    /** A setting of a light; the lights of its group follow it. */
    ofLight: (id: string, stage: Stage, name: string, value: unknown) =>
      change(withValues(newest.current, { light: id, stage }, { [name]: value }), id),
    resetOfLight: (id: string, stage: Stage, settings: SettingInfo[], label: string) =>
      edit(
        withValues(newest.current, { light: id, stage }, Object.fromEntries(settings.map((s) => [s.name, s.default]))),
        `Reset ${label}`,
        id,
      ),
    resetAll: (place: Place, group: GroupInfo, also: Record<string, unknown> = {}) =>
      edit(withValues(newest.current, place, { ...defaults(group), ...also }), `Reset ${group.label}`),
  };
}
