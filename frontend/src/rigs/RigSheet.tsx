import { useCallback, useEffect, useRef, useState } from "react";
import { FileTrigger } from "react-aria-components";
import styled from "styled-components";
import { api, follow, said, whyOf, type Plate, type Rig, type RigCell, type SavedRig } from "../api/client";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { Icon } from "../ui/Icon";
import { Menu } from "../ui/Menu";
import { useNotices } from "../ui/Notices";
import { PictureChoice } from "../ui/PictureChoice";
import { useFittingName } from "../ui/useFittingName";
import { TextField } from "../ui/TextField";
import { tone } from "../ui/theme";
import { Note } from "../ui/words";

const Bar = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto auto auto;
  gap: 8px;
  align-items: end;
  button,
  a {
    min-height: 28px;
  }
  a {
    color: ${tone.accent};
    line-height: 28px;
  }
`;

const Grid = styled.div`
  display: grid;
  /* The sheet stands still while it fills. */
  height: 56vh;
  overflow: auto;
  align-content: start;
  grid-template-columns: repeat(auto-fill, minmax(210px, 1fr));
  gap: 10px;
  .card {
    position: relative;
    display: grid;
  }
  .card .more {
    position: absolute;
    right: 6px;
    bottom: 4px;
  }
`;

interface Props {
  plate: Plate;
  rig: Rig;
  /** Characters that a name may have. */
  longest: number;
  onApply: (saved: SavedRig, lights: string[] | null) => void;
  /** It is to be laid on several plates. */
  onApplyTo: (saved: SavedRig) => void;
  onClose: () => void;
}

/** The lights of a saved rig, by name. */
function lightsOf(saved: SavedRig): string {
  return saved.rig.lights.map((light) => light.name || light.kind).join(", ");
}

/** Saved rigs, the newest first, each seen on this very plate: apply one, or some of its lights; save, bring in, take out. */
export function RigSheet({ plate, rig, longest, onApply, onApplyTo, onClose }: Props) {
  const { say, warn } = useNotices();
  const [cells, setCells] = useState<RigCell[] | null>(null);
  const [name, setName] = useState("");
  const [typed, setTyped] = useState("");
  const [renamed, setRenamed] = useState<{ id: number; name: string } | null>(null);
  const [opened] = useState(rig);
  const fitting = useFittingName(longest);
  const leaving = useRef<AbortController | null>(null);

  const load = useCallback(async () => {
    leaving.current?.abort();
    const mine = new AbortController();
    leaving.current = mine;
    const { data, error } = await api.POST("/api/plates/{plate_id}/sheets/rigs", {
      params: { path: { plate_id: plate.id } },
      body: { rig: opened },
    });
    if (!data) {
      warn(said(error));
      return;
    }
    const made: RigCell[] = [];
    await follow(
      data,
      ({ items }) => {
        made.push(...items.filter((item) => "saved" in item));
        if (made.length > 0) setCells([...made]);
      },
      mine.signal,
    );
    setCells(made);
  }, [plate.id, opened, warn]);
  const reload = useCallback(() => load().catch((error: unknown) => !leaving.current?.signal.aborted && warn(whyOf(error))), [load, warn]);
  useEffect(() => {
    void reload();
    return () => leaving.current?.abort();
  }, [reload]);

  const save = async (called: string, saved: Rig) => {
    const { data, error } = await api.POST("/api/rigs", { body: { name: called, rig: saved, plate: plate.id } });
    if (!data) {
      warn(said(error));
      return false;
    }
    say(`${data.name} was saved.`);
    return true;
  };
  const keep = () => void save(fitting(name) || plate.name, rig).then((kept) => kept && onClose());
  const bring = async (file: File) => {
    let read: unknown;
    try {
      read = JSON.parse(await file.text());
    } catch (error) {
      if (!(error instanceof SyntaxError || error instanceof DOMException)) throw error;
      warn(`${file.name} is not a rig file; rig files are JSON.`);
      return;
    }
    await save(fitting(file.name.replace(/\.json$/i, "")) || "Rig", read as Rig);
    await reload();
  };
  const remove = async (saved: SavedRig) => {
    const { error } = await api.DELETE("/api/rigs/{rig_id}", { params: { path: { rig_id: saved.id } } });
    if (error) warn(said(error));
    else
      say(`${saved.name} was deleted.`, {
        text: "Undo",
        act: () => void api.POST("/api/rigs/{rig_id}/restore", { params: { path: { rig_id: saved.id } } }).then(reload),
      });
    await reload();
  };
  const rename = async (saved: SavedRig, to: string) => {
    const { error } = await api.PATCH("/api/rigs/{rig_id}", { params: { path: { rig_id: saved.id } }, body: { name: to } });
    if (error) warn(said(error));
    await reload();
  };

  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const found = cells?.filter(({ saved }) => {
    const of = `${saved.name} ${lightsOf(saved)}`.toLowerCase();
    return words.every((word) => of.includes(word));
  });
  return (
    <Dialog title="Rigs" width="wide" open onClose={onClose}>
      <Bar>
        <TextField label="Save this plate's rig as" autoFocus value={name} placeholder={plate.name} onChange={setName} onEnter={keep} />
        <Button weight="strong" onPress={keep}>
          Save
        </Button>
        <FileTrigger acceptedFileTypes={[".json", "application/json"]} onSelect={(list) => list?.[0] && void bring(list[0])}>
          <Button>Open a rig file…</Button>
        </FileTrigger>
        <a href={`/api/plates/${plate.id}/rig`} download>
          Save as file…
        </a>
      </Bar>
      <TextField
        label="Find a rig"
        hideLabel
        value={typed}
        placeholder="Type to find a rig by its name or its lights"
        onChange={setTyped}
      />
      <Grid>
        {!cells && <Note role="status">Rendering each rig on this plate…</Note>}
        {cells?.length === 0 && <Note>No rigs are saved yet. Save this one to use it on the next picture.</Note>}
        {cells && cells.length > 0 && found?.length === 0 && <Note>No saved rig has that in its name or its lights.</Note>}
        {found?.map(({ saved, picture }) => (
          <div key={saved.id} className="card" role="group" aria-label={saved.name}>
            {renamed?.id === saved.id ? (
              <TextField
                label={`Name of ${saved.name}`}
                autoFocus
                value={renamed.name}
                onChange={(next) => setRenamed({ id: saved.id, name: next })}
                onDone={(kept) => {
                  if (kept && renamed.name.trim() && renamed.name.trim() !== saved.name) void rename(saved, fitting(renamed.name));
                  setRenamed(null);
                }}
              />
            ) : (
              <PictureChoice title={saved.name} note={lightsOf(saved)} picture={picture} onPick={() => onApply(saved, null)} />
            )}
            <div className="more">
              <Menu
                label={`What to do with ${saved.name}`}
                choices={[
                  { id: "all", text: "Apply the whole rig", about: "Replaces the lights on this plate", act: () => onApply(saved, null) },
                  { id: "others", text: "Apply to several plates…", about: "Lays it on each in a run", act: () => onApplyTo(saved) },
                  ...saved.rig.lights.map((l) => ({
                    id: `light ${l.id}`,
                    text: `Add ${l.name || l.kind}`,
                    about: "Adds it above the lights on this plate",
                    act: () => onApply(saved, [l.id]),
                  })),
                  { id: "rename", text: "Rename", act: () => setRenamed({ id: saved.id, name: saved.name }) },
                  { id: "file", text: "Save as file…", act: () => window.location.assign(`/api/rigs/${saved.id}/file`) },
                  { id: "delete", text: "Delete", act: () => void remove(saved) },
                ]}
              >
                <Button weight="bare" aria-label={`More for ${saved.name}`}>
                  <Icon name="more" size={14} />
                </Button>
              </Menu>
            </div>
          </div>
        ))}
      </Grid>
    </Dialog>
  );
}
