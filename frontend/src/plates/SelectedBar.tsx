import { useState } from "react";
import styled from "styled-components";
import type { Plate } from "../api/client";
import { Button } from "../ui/Button";
import { TextField } from "../ui/TextField";
import { tone } from "../ui/theme";

const Bar = styled.div`
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 6px 24px;
  background: ${tone.raised};
  b {
    color: ${tone.strong};
    font-weight: 600;
    flex: 1;
  }
`;

interface Props {
  selected: Plate[];
  onRename: (name: string) => void;
  onDelete: () => void;
  /** A run over them is wanted: to make files, or to lay a rig on them. */
  onRun: (files: boolean) => void;
  onDone: () => void;
}

/** What can be done with several plates at once. */
export function SelectedBar({ selected, onRename, onDelete, onRun, onDone }: Props) {
  const [name, setName] = useState<string | null>(null);
  const count = selected.length === 1 ? "1 plate" : `${selected.length} plates`;
  return (
    <Bar role="toolbar" aria-label="Ticked plates">
      <b>{count} ticked</b>
      {name === null ? (
        <>
          <Button onPress={() => onRun(false)}>Apply a rig…</Button>
          <Button onPress={() => onRun(true)}>Export…</Button>
          <Button onPress={() => setName("")}>Rename…</Button>
          <Button onPress={onDelete}>Delete</Button>
          <Button weight="bare" onPress={onDone}>
            Untick all
          </Button>
        </>
      ) : (
        <TextField
          label="Name for all; they are numbered"
          hideLabel
          autoFocus
          placeholder="Name for all; they are numbered"
          value={name}
          onChange={setName}
          onDone={(kept) => {
            if (kept && name.trim()) onRename(name.trim());
            setName(null);
          }}
        />
      )}
    </Bar>
  );
}
