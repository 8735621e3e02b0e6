import { useEffect, useState } from "react";
import styled from "styled-components";
import { api, said, thumbnailOf, type Plate } from "../../api/client";
import { Button } from "../../ui/Button";
import { Check } from "../../ui/Check";
import { Dialog } from "../../ui/Dialog";
import { useNotices } from "../../ui/Notices";
import { TextField } from "../../ui/TextField";
import { oneLine, tone } from "../../ui/theme";
import { useBench } from "../store/bench";
import { lightNow } from "../store/selectors";

const Grid = styled.div`
  display: grid;
  grid-template-columns: repeat(4, minmax(0, 1fr));
  gap: 8px;
  img {
    width: 100%;
    height: 96px;
    object-fit: cover;
    border-radius: 2px;
    background: ${tone.base};
  }
  label {
    min-width: 0;
    ${oneLine}
  }
`;

const Note = styled.p`
  color: ${tone.faint};
`;

const AWAY = "The service does not answer; try again.";

/** The other plates, to lay the selected light on. */
export function CopyDialog({ onClose }: { onClose: () => void }) {
  const { now } = useBench();
  const { say } = useNotices();
  const [{ plate, rig, light }] = useState(() => ({ plate: now().plate, rig: now().rig, light: lightNow(now()) }));
  const [plates, setPlates] = useState<Plate[] | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const [typed, setTyped] = useState("");
  const [chosen, setChosen] = useState<number[]>([]);
  const [busy, setBusy] = useState(false);
  useEffect(() => {
    api.GET("/api/plates").then(
      ({ data, error }) => (data ? setPlates(data.filter((one) => one.id !== plate.id)) : setWrong(said(error))),
      () => setWrong(AWAY),
    );
  }, [plate.id]);
  if (!light) return null;
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const shown = plates?.filter((one) => words.every((word) => one.name.toLowerCase().includes(word)));
  const copy = () => {
    setBusy(true);
    const body = { rig, lights: [light.id], plates: chosen };
    api
      .POST("/api/plates/{plate_id}/copies", { params: { path: { plate_id: plate.id } }, body })
      .then(
        ({ data, error }) => {
          if (!data) {
            setWrong(said(error));
            return;
          }
          onClose();
          const names = plates?.filter((one) => chosen.includes(one.id)).map((one) => one.name) ?? [];
          say(`${light.name || light.id} is on ${names.length > 3 ? `${String(names.length)} more plates` : names.join(", ")} now.`);
          data.flatMap(({ notes }) => notes).forEach((note) => say(note));
        },
        () => setWrong(AWAY),
      )
      .finally(() => setBusy(false));
  };
  return (
    <Dialog title={`Copy ${light.name || light.id} to other plates`} width="wide" open onClose={onClose}>
      <TextField label="Find a plate" hideLabel autoFocus value={typed} placeholder="Type to find a plate" onChange={setTyped} />
      {wrong && <Note role="alert">{wrong}</Note>}
      {shown?.length === 0 && (
        <Note>{plates?.length === 0 ? "Bring in another plate first." : "Type another name; this one matches nothing."}</Note>
      )}
      <Grid>
        {shown?.map((one) => (
          <div key={one.id}>
            <img src={thumbnailOf(one)} alt="" draggable={false} />
            <Check
              label={one.name}
              isSelected={chosen.includes(one.id)}
              onChange={(on) => setChosen((all) => (on ? [...all, one.id] : all.filter((id) => id !== one.id)))}
            />
          </div>
        ))}
      </Grid>
      <div>
        <Button weight="strong" isDisabled={chosen.length === 0 || busy} onPress={copy}>
          {chosen.length > 1 ? `Copy to ${String(chosen.length)} plates` : "Copy"}
        </Button>
      </div>
    </Dialog>
  );
}
