import { useEffect, useState } from "react";
import styled from "styled-components";
import { api, AWAY, said, thumbnailOf, type ExportInfo, type Plate, type RunRoom, type SavedRig } from "../api/client";
import { ExportFields } from "../bench/dialogs/ExportFields";
import { keepExport, rememberedExport } from "../bench/store/exporting";
import { go } from "../route";
import { Button } from "../ui/Button";
import { Check } from "../ui/Check";
import { Dialog } from "../ui/Dialog";
import { Select } from "../ui/Select";
import { SmallPlate } from "../ui/SmallPlate";
import { TextField } from "../ui/TextField";
import { tone } from "../ui/theme";
import { Note, Wrong } from "../ui/words";

const Halves = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) 400px;
  gap: 22px;
  align-items: start;
  > div {
    display: grid;
    gap: 12px;
    align-content: start;
  }
`;

const Plates = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(140px, 1fr));
  gap: 10px;
  max-height: 56vh;
  overflow: auto;
  align-content: start;
  > div {
    display: grid;
    gap: 4px;
    align-content: start;
  }
  img {
    cursor: pointer;
  }
`;

const Line = styled.div`
  display: flex;
  align-items: center;
  justify-content: space-between;
  color: ${tone.faint};
`;

/** Which rig is laid: none, a saved one, or that of a plate. */
export type RigChoice = { saved: number } | { plate: number } | null;

const OWN = "own";

function asValue(rig: RigChoice): string {
  if (rig === null) return OWN;
  return "saved" in rig ? `saved ${rig.saved}` : `plate ${rig.plate}`;
}

function fromValue(value: string): RigChoice {
  const [kind, id] = value.split(" ");
  if (kind === "saved") return { saved: Number(id) };
  return kind === "plate" ? { plate: Number(id) } : null;
}

interface Props {
  info: ExportInfo;
  /** Plates that are ticked to begin with. */
  plates: number[];
  rig: RigChoice;
  /** Whether files are made, to begin with. */
  files: boolean;
  onClose: () => void;
}

/** Lays a rig on many plates, or has their pictures made as files, or both, in the background. */
export function RunDialog({ info, plates: first, rig: firstRig, files: firstFiles, onClose }: Props) {
  const [all, setAll] = useState<Plate[]>([]);
  const [saved, setSaved] = useState<SavedRig[]>([]);
  const [ticked, setTicked] = useState(first);
  const [rig, setRig] = useState(firstRig);
  const [placing, setPlacing] = useState<RunRoom["placings"][number]["value"] | null>(null);
  const [files, setFiles] = useState(firstFiles);
  const [choice, setChoice] = useState(() => rememberedExport(info));
  const [edge, setEdge] = useState("");
  const [cluster, setCluster] = useState("");
  const [room, setRoom] = useState<RunRoom | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);

  useEffect(() => {
    Promise.all([api.GET("/api/plates"), api.GET("/api/rigs")])
      .then(([plates, rigs]) => {
        setAll(plates.data ?? []);
        setSaved(rigs.data?.rigs ?? []);
        if (plates.error) setWrong(said(plates.error));
      })
      .catch(() => setWrong(AWAY));
  }, []);

  // Those that were ticked come first, in the order of the list.
  const [beginning] = useState(first);
  const listed = [...all].sort((a, b) => Number(beginning.includes(b.id)) - Number(beginning.includes(a.id)));
  const chosen = listed.filter((plate) => ticked.includes(plate.id)).map((plate) => plate.id);
  const asked = chosen.join(" ");
  useEffect(() => {
    const ids = asked.split(" ").filter(Boolean).map(Number);
    if (ids.length === 0) return;
    api.POST("/api/runs/room", { body: { plates: ids } }).then(
      ({ data }) => setRoom(data ?? null),
      () => setRoom(null),
    );
  }, [asked]);

  const longEdge = edge.trim() === "" ? null : Number(edge);
  const edgeWrong = longEdge !== null && (!Number.isInteger(longEdge) || longEdge < 1);
  const nothing = rig === null && !files;
  const rendered = files || (rig !== null && placing === "found");
  const turn = (id: number) => setTicked((now) => (now.includes(id) ? now.filter((one) => one !== id) : [...now, id]));

  const start = async () => {
    const made = { ...choice, long_edge: longEdge };
    const { data, error } = await api.POST("/api/runs", {
      body: {
        plates: chosen,
        rig: rig === null ? null : { saved: null, plate: null, ...rig },
        placing: placing ?? "rig",
        export: files ? made : null,
        cluster: rendered ? cluster : "",
      },
    });
    if (!data) {
      setWrong(said(error));
      return;
    }
    if (files) keepExport(choice);
    go(`/runs/${data.run.id}`);
  };

  const count = chosen.length === 1 ? "1 plate" : `${chosen.length} plates`;
  const sized = all.find((plate) => plate.id === chosen[0]) ?? { width: 3, height: 2 };
  return (
    <Dialog title="Start a run" width="wide" open onClose={onClose}>
      <Halves>
        <div>
          <Line>
            <span>{count} ticked</span>
            <Button weight="bare" onPress={() => setTicked(chosen.length === all.length ? [] : all.map((plate) => plate.id))}>
              {chosen.length === all.length ? "Untick all" : "Tick all"}
            </Button>
          </Line>
          <Plates role="group" aria-label="Plates of the run">
            {listed.map((plate) => (
              <div key={plate.id}>
                <SmallPlate
                  $faint={!ticked.includes(plate.id)}
                  src={`${thumbnailOf(plate)}&at_once=true`}
                  alt=""
                  draggable={false}
                  onClick={() => turn(plate.id)}
                />
                <Check label={plate.name} isSelected={ticked.includes(plate.id)} onChange={() => turn(plate.id)} />
              </div>
            ))}
          </Plates>
        </div>
        <div>
          <Select
            label="Rig"
            value={asValue(rig)}
            options={[
              { value: OWN, text: "Each plate keeps its own" },
              ...saved.map((one) => ({ value: `saved ${one.id}`, text: one.name })),
              ...all.filter((plate) => plate.lights > 0).map((plate) => ({ value: `plate ${plate.id}`, text: `That of ${plate.name}` })),
            ]}
            onChange={(value) => setRig(fromValue(value))}
          />
          {rig !== null && room && (
            <>
              <Select
                label="Lights"
                value={placing ?? "rig"}
                options={room.placings.map(({ value, label }) => ({ value, text: label }))}
                onChange={(value) => setPlacing(room.placings.find((one) => one.value === value)?.value ?? null)}
              />
              <Note>It takes the place of the lights that are there; each plate can be opened, mended and undone.</Note>
            </>
          )}
          <Check label="Export files" isSelected={files} onChange={setFiles} />
          {files && (
            <ExportFields info={info} plate={sized} choice={choice} onChoice={setChoice}>
              <TextField label="Long edge in pixels" placeholder="full size" inputMode="numeric" value={edge} onChange={setEdge} />
              <span />
            </ExportFields>
          )}
          {rendered && (
            <>
              {room && room.clusters.length > 0 && (
                <Select
                  label="Made by"
                  value={cluster}
                  options={[
                    { value: "", text: "This machine" },
                    ...room.clusters.map((name) => ({ value: name, text: `Cluster ${name}` })),
                  ]}
                  onChange={setCluster}
                />
              )}
              {room && chosen.length > 0 && cluster === "" && <Note role="note">Here: {room.says}.</Note>}
            </>
          )}
          {edgeWrong && <Wrong role="alert">The long edge is a whole number of pixels.</Wrong>}
          {wrong && <Wrong role="alert">{wrong}</Wrong>}
        </div>
      </Halves>
      <footer>
        <Button onPress={onClose}>Cancel</Button>
        <Button
          weight="strong"
          isDisabled={nothing || edgeWrong || chosen.length === 0}
          onPress={() => void start().catch(() => setWrong(AWAY))}
        >
          Start
        </Button>
      </footer>
    </Dialog>
  );
}
