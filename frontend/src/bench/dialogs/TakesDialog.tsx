import { useState } from "react";
import styled from "styled-components";
import type { Take } from "../../api/client";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";
import { Icon } from "../../ui/Icon";
import { Menu } from "../../ui/Menu";
import { useFittingName } from "../../ui/useFittingName";
import { TextField } from "../../ui/TextField";
import { oneLine, tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";

const Keep = styled.div`
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 8px;
  align-items: end;
  button {
    min-height: 28px;
  }
`;

const List = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 6px;
  li {
    display: grid;
    grid-template-columns: 132px minmax(180px, 1fr) auto auto auto;
    gap: 8px;
    align-items: center;
  }
  img {
    width: 132px;
    min-height: 60px;
    display: block;
    border-radius: 2px;
    background: ${tone.base};
  }
  b {
    max-width: 44ch;
    ${oneLine}
    font-weight: 600;
    color: ${tone.strong};
    display: block;
  }
  li > div > span {
    color: ${tone.faint};
    font-size: 12px;
  }
`;

const FEW = 5; // takes that are found at a glance

function said(take: Take): string {
  const lights = take.rig.lights.length;
  return `${new Date(take.created * 1000).toLocaleString()}, ${lights} light${lights === 1 ? "" : "s"}`;
}

/** Takes: keep the present state under a name, compare with others, go back to any. */
export function TakesDialog({ onClose }: { onClose: () => void }) {
  const { takes, editing, compare, catalogue, now } = useBench();
  const all = useNow((s) => s.takes);
  const longest = catalogue.limits.name_length;
  const [name, setName] = useState("");
  const [typed, setTyped] = useState("");
  const [renamed, setRenamed] = useState<{ id: number; name: string } | null>(null);
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  // The newest first.
  const found = all
    .toSorted((a, b) => b.created - a.created || b.id - a.id)
    .filter((take) => words.every((word) => take.name.toLowerCase().includes(word)));
  const fitting = useFittingName(longest);
  const proposed = `Take ${all.length + 1}`;
  const keep = () => {
    void takes.keep(fitting(name) || proposed, now().rig);
    setName("");
  };
  return (
    <Dialog title="Takes" width="fitting" open onClose={onClose}>
      <Keep>
        <TextField label="Save the current state as" autoFocus value={name} placeholder={proposed} onChange={setName} onEnter={keep} />
        <Button weight="strong" onPress={keep}>
          Keep
        </Button>
      </Keep>
      {all.length === 0 && (
        <p>No takes yet. A take saves the whole rig under a name, so that you can compare with it or restore it later.</p>
      )}
      {all.length > FEW && (
        <TextField label="Find a take" hideLabel value={typed} placeholder="Type to find a take by its name" onChange={setTyped} />
      )}
      {all.length > 0 && found.length === 0 && <p>No take has that in its name.</p>}
      <List aria-label="Takes">
        {found.map((take) => (
          <li key={take.id} aria-label={take.name}>
            <img src={`/api/plates/${now().plate.id}/takes/${take.id}/picture`} alt="" draggable={false} />
            {renamed?.id === take.id ? (
              <TextField
                label={`Name of ${take.name}`}
                hideLabel
                autoFocus
                value={renamed.name}
                onChange={(next) => setRenamed({ id: take.id, name: next })}
                onDone={(kept) => {
                  if (kept && renamed.name.trim() && renamed.name.trim() !== take.name) void takes.rename(take, fitting(renamed.name));
                  setRenamed(null);
                }}
              />
            ) : (
              <div>
                <b title={take.name}>{take.name}</b>
                <span>{said(take)}</span>
              </div>
            )}
            <Button
              hint="Compares it with the current state"
              onPress={() => {
                onClose();
                compare({ left: String(take.id), right: "now", way: now().comparison?.way ?? "split" });
              }}
            >
              Compare
            </Button>
            <Button
              hint="Replaces the current state; you can undo this"
              onPress={() => {
                editing.edit(take.rig, `Restore ${take.name}`);
                onClose();
              }}
            >
              Restore this take
            </Button>
            <Menu
              label={`What to do with ${take.name}`}
              choices={[
                { id: "rename", text: "Rename", act: () => setRenamed({ id: take.id, name: take.name }) },
                { id: "delete", text: "Delete", act: () => void takes.remove(take) },
              ]}
            >
              <Button weight="bare" aria-label={`More for ${take.name}`}>
                <Icon name="more" size={14} />
              </Button>
            </Menu>
          </li>
        ))}
      </List>
    </Dialog>
  );
}
