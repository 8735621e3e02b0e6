import type { StoreApi } from "zustand";
import { api, said, type Edit, type Edited, type GroupInfo, type Owner, type Rig, type SettingInfo, type Stage } from "../../api/client";
import type { Board } from "../../ui/Notices";
import { handled } from "./hand";
import type { Keeping } from "./keeping";
import { withValuesAt } from "./keys";
import { defaultsOf, type Place, type Values } from "./rig";
import { atFrame, shotNow } from "./selectors";
import type { State } from "./state";

interface Answer {
  data?: Edited;
  error?: unknown;
}

/** Only the current shot, the current shot as well, every shot but the current one, or all shots. */
export type InShots = "only" | "too" | "not" | "all";

export type Editing = ReturnType<typeof makeEditing>;

/** How the rig is edited: shown at once while a hand moves, kept as one step when it rests; or by the core's rules. */
export function makeEditing(
  store: StoreApi<State>,
  keeping: Keeping,
  { say, warn }: Board,
  onChosen: (owner: Owner, part: number | null) => void,
) {
  const now = () => store.getState().rig;
  const valued = (place: Place, values: Values) => withValuesAt(now(), place, values, store.getState().frame);
  // The changes that are not yet a step, and whose group follows.
  let dirty: { lead: string | null } | null = null;

  const edit = (next: Rig, label: string, lead: string | null = null) => {
    dirty = null;
    keeping.commit(next, label, lead);
  };
  const change = (next: Rig, lead: string | null = null) => {
    dirty = { lead };
    store.setState((s) => ({ hand: handled(s.hand, { do: "move" }) }));
    keeping.change(next, lead);
  };
  const rest = (label: string) => {
    store.setState((s) => ({ hand: handled(s.hand, { do: "rest" }) }));
    if (!dirty) return;
    const { lead } = dirty;
    dirty = null;
    keeping.commit(now(), label, lead);
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
        from = now();
        answer = await ask(from);
      } while (answer.data && now() !== from);
      if (!answer.data) {
        warn(said(answer.error));
        return;
      }
      take(answer.data);
      done?.();
    };
    store.setState((s) => ({ asking: s.asking + 1 }));
    attempt()
      .catch(() => warn("Nothing was changed: the service does not answer."))
      .finally(() => store.setState((s) => ({ asking: s.asking - 1 })));
  };

  const self = {
    now,
    valued,
    edit,
    change,
    rest,
    takeFrom,
    /** Has the core do something to the rig, by its rules. */
    ask: (what: Edit, done?: () => void) =>
      takeFrom((rig) => api.POST("/api/plates/{plate_id}/edits", { params: atFrame(store.getState()), body: { rig, edit: what } }), done),
    setting: (place: Place, name: string, value: unknown) =>
      change(valued(place, { [name]: value }), typeof place === "object" && "light" in place ? place.light : null),
    reset: (place: Place, settings: SettingInfo[], label: string) =>
      edit(
        valued(place, Object.fromEntries(settings.map((s) => [s.name, s.default]))),
        `Reset ${label}`,
        typeof place === "object" && "light" in place ? place.light : null,
      ),
    resetAll: (place: Place, group: GroupInfo, also: Record<string, unknown> = {}) =>
      edit(valued(place, { ...defaultsOf(group), ...also }), `Reset ${group.label}`),
    /** Has what is on or off be on in the shot that is seen, as far as it lies between the marks. */
    inShot: (what: { owner: string; path: string; how: InShots }) => {
      const s = store.getState();
      const [begin, end] = shotNow(s);
      self.ask({ do: "give-to-shot", ...what, within: [begin, end === s.plate.frames ? null : end] });
    },
    /** A setting of a light, without its place being spelt out; the lights of its group follow it. */
    ofLight: (id: string, stage: Stage, name: string, value: unknown) => change(valued({ light: id, stage }, { [name]: value }), id),
  };
  return self;
}
