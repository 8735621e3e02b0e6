import { useState, type ReactNode } from "react";
import styled from "styled-components";
import type { Matte } from "../../api/client";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/TextField";
import { tone } from "../../ui/theme";

const Column = styled.div`
  padding: 12px;
  height: 100%;
  overflow: auto;
  display: grid;
  gap: 12px;
  align-content: start;
  header {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 8px;
    align-items: end;
  }
  p {
    color: ${tone.faint};
  }
`;

interface Props {
  matte: Matte;
  /** What a person should know of it: that lights use it. */
  note: string;
  /** Characters that a name may have. */
  longest: number;
  onRename: (name: string) => void;
  onDone: () => void;
  children: ReactNode;
}

/** A matte in the column: its name and its mask. */
export function MatteColumn({ matte, note, longest, onRename, onDone, children }: Props) {
  const [name, setName] = useState<string | null>(null);
  return (
    <Column role="region" aria-label={`Matte ${matte.name || matte.id}`}>
      <header>
        <TextField
          label="Matte"
          value={name ?? matte.name}
          onChange={setName}
          onDone={(kept) => {
            if (kept && name !== null && name.trim() && name.trim() !== matte.name) onRename(name.trim().slice(0, longest));
            setName(null);
          }}
        />
        <Button onPress={onDone}>Done</Button>
      </header>
      <p>{note}</p>
      {children}
    </Column>
  );
}
