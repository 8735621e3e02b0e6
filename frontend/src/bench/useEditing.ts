import { useRef, useState } from "react";
import { api, said, type Edit, type Edited, type GroupInfo, type Owner, type Rig, type SettingInfo } from "../api/client";
import { useNotices } from "../ui/Notices";
import { withValues, type Place, type Stage } from "./rig";
import type { BenchModel } from "./useBench";

interface Answer {
  data?: Edited;
  error?: unknown;
}

export type Editing = ReturnType<typeof useEditing>;

function defaults(group: GroupInfo): Record<string, unknown> {
  return Object.fromEntries(group.settings.map((s) => [s.name, s.default]));
}

/** How the rig is edited: shown at once while a hand moves, kept as one step when it rests; or by the core's rules. */
export function useEditing(plateId: number, bench: BenchModel, rig: Rig, onChosen: (owner: Owner, part: number | null) => void) {
  const { say, warn } = useNotices();
  const [dragging, setDragging] = useState(false);
  const [asked, setAsked] = useState(0);
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
  /** Asks the service what becomes of the rig and takes that over, or says why not. What was changed meanwhile stays: it
   * is asked for once more. */
  const takeFrom = (ask: (from: Rig) => Promise<Answer>, done?: () => void) => {
    const attempt = async () => {
      let from: Rig;
      let answer: Answer;
      do {
        from = newest.current;
        answer = await ask(from);
      } while (answer.data && newest.current !== from);
      if (!answer.data) {
        warn(said(answer.error));
        return;
      }
      take(answer.data);
      done?.();
    };
    setAsked((count) => count + 1);
    attempt()
      .catch(() => warn("Nothing was changed: the service does not answer."))
      .finally(() => setAsked((count) => count - 1));
  };

  return {
    dragging,
    /** Something that was asked for is not there yet. */
    asking: asked > 0,
    newest,
    edit,
    change,
    rest,
    takeFrom,
    /** Has the core do something to the rig, by its rules. */
    ask: (what: Edit, done?: () => void) =>
      takeFrom(
        (rig) => api.POST("/api/plates/{plate_id}/edits", { params: { path: { plate_id: plateId } }, body: { rig, edit: what } }),
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
