import { useEffect, useState } from "react";
import styled from "styled-components";
import { api, follow, said, type KindCell, type Light, type Plate, type Rig } from "../api/client";
import { Dialog } from "../ui/Dialog";
import { PictureChoice } from "../ui/PictureChoice";
import { tone } from "../ui/theme";

const Grid = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(210px, 1fr));
  gap: 8px;
`;

const Note = styled.p`
  color: ${tone.faint};
`;

interface Props {
  plate: Plate;
  rig: Rig;
  onPick: (light: Light) => void;
  onClose: () => void;
}

/** Every kind of light, rendered small on this very plate. */
export function KindSheet({ plate, rig, onPick, onClose }: Props) {
  const [cells, setCells] = useState<KindCell[]>([]);
  const [done, setDone] = useState(false);
  const [wrong, setWrong] = useState<string | null>(null);
  // The sheet shows the rig as it was when it was opened.
  const [opened] = useState(rig);

  useEffect(() => {
    // Whoever has chosen does not wait for the rest.
    const leaving = new AbortController();
    setCells([]);
    const fill = async () => {
      const { data, error } = await api.POST("/api/plates/{plate_id}/sheets/kinds", {
        params: { path: { plate_id: plate.id } },
        body: { rig: opened },
      });
      if (!data) throw new Error(said(error));
      const keep = (made: KindCell[]) => setCells((all) => [...all, ...made]);
      await follow(data, ({ items }) => keep(items.filter((item) => "light" in item)), leaving.signal);
    };
    fill().then(
      () => setDone(true),
      (error: unknown) =>
        !leaving.signal.aborted && setWrong(error instanceof Error ? error.message : "The service does not answer; try again."),
    );
    return () => leaving.abort();
  }, [plate.id, opened]);

  return (
    <Dialog title="Add a light" wide open onClose={onClose}>
      {wrong && <Note role="alert">{wrong}</Note>}
      {!done && !wrong && <Note role="status">Rendering each kind on this plate…</Note>}
      <Grid>
        {cells.map((cell) => (
          <PictureChoice
            key={cell.light.kind}
            title={cell.title}
            note={cell.summary}
            picture={cell.picture}
            onPick={() => onPick(cell.light)}
          />
        ))}
      </Grid>
    </Dialog>
  );
}
