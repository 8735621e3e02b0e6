import { memo, useCallback, useEffect, useMemo, useRef, useState } from "react";
import styled from "styled-components";
import { api, follow, said, whyOf, type KindCell, type KindInfo } from "../../api/client";
import { Dialog } from "../../ui/Dialog";
import { PictureChoice } from "../../ui/PictureChoice";
import { TextField } from "../../ui/TextField";
import { tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";
import { HANDLES } from "../store/hand";
import { secondsLeft } from "../store/preparing";
import { lightOf, withoutLight } from "../store/rig";

const Grid = styled.div`
  display: grid;
  grid-template-columns: repeat(5, minmax(0, 1fr));
  gap: 2px 6px;
  img,
  .empty {
    height: 118px;
    object-fit: cover;
  }
`;

const Note = styled.p`
  color: ${tone.faint};
`;

interface ChoiceProps {
  kind: KindInfo;
  note: string;
  picture: string | null;
  onPick: (kind: KindInfo) => void;
}

/** One kind; it is drawn anew as its own picture comes, not with those of others. */
const KindChoice = memo(function KindChoice({ kind, note, picture, onPick }: ChoiceProps) {
  return <PictureChoice title={kind.title} note={note} picture={picture} waits={false} onPick={() => onPick(kind)} />;
});

/** Every kind of light, rendered small on this very plate, always in the same order: to add one, or for a light that `changes`
 * into it. */
export function KindSheet({ changes, onClose }: { changes: string | null; onClose: () => void }) {
  const { catalogue, frames, lights, show, take, now } = useBench();
  const preparing = useNow((s) => s.preparing);
  const [cells, setCells] = useState<Record<string, KindCell>>({});
  const [wrong, setWrong] = useState<string | null>(null);
  const [typed, setTyped] = useState("");
  // The sheet shows the rig as it was when it was opened.
  const [{ plate, rig: whole, frame }] = useState(now);
  const rig = useMemo(() => (changes ? withoutLight(whole, changes) : whole), [changes, whole]);
  const changed = changes ? lightOf(whole, changes) : undefined;

  useEffect(() => {
    // Whoever has chosen does not wait for the rest.
    const leaving = new AbortController();
    const fill = async () => {
      const { data, error } = await api.POST("/api/plates/{plate_id}/sheets/kinds", {
        params: { path: { plate_id: plate.id }, query: { frame } },
        body: { rig },
      });
      if (!data) throw new Error(said(error));
      const keep = (made: KindCell[]) => setCells((all) => ({ ...all, ...Object.fromEntries(made.map((one) => [one.light.kind, one])) }));
      await follow(data, ({ items }) => keep(items.filter((item) => "summary" in item)), leaving.signal);
    };
    fill().catch((error: unknown) => !leaving.signal.aborted && setWrong(whyOf(error)));
    return () => leaving.abort();
  }, [plate.id, rig, frame]);

  const pick = ({ name, groups }: KindInfo) => {
    const known = now().rig.lights.map((light) => light.id);
    onClose();
    show(null);
    if (changes) {
      lights.become(changes, name);
      return;
    }
    // What is painted begins with the brush up.
    const painted = groups[0]?.settings.some((s) => s.type === "strokes") ?? false;
    lights.add(name, () => {
      take(painted ? { is: "light", drawn: null } : HANDLES);
      void frames.settle(known);
    });
  };
  const latest = useRef(pick);
  useEffect(() => {
    latest.current = pick;
  });
  const choose = useCallback((kind: KindInfo) => latest.current(kind), []);
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const kinds = catalogue.kinds.filter((kind) => {
    const of = `${kind.title} ${kind.summary} ${kind.words}`.toLowerCase();
    return words.every((word) => of.includes(word));
  });
  const first = words.length > 0 ? kinds[0] : undefined;
  return (
    <Dialog title={changed ? `Change ${changed.name || changed.id} into…` : "Add a light"} width="wide" open onClose={onClose}>
      <TextField
        label="Find a kind of light"
        hideLabel
        autoFocus
        value={typed}
        placeholder="Type to find: sun, lens, glow, water…"
        onChange={setTyped}
        onEnter={() => first && pick(first)}
      />
      {wrong && <Note role="alert">{wrong}</Note>}
      {kinds.length === 0 && <Note>No kind of light is called that, or does that.</Note>}
      <Grid>
        {kinds.map((kind) => {
          const seconds = secondsLeft({ preparing }, kind.name);
          const note = seconds === undefined ? kind.summary : `Being prepared, ${String(seconds)} s`;
          return <KindChoice key={kind.name} kind={kind} note={note} picture={cells[kind.name]?.picture ?? null} onPick={choose} />;
        })}
      </Grid>
    </Dialog>
  );
}
