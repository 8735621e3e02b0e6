import { useState } from "react";
import styled from "styled-components";
import { Button, Toggle } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";
import { Drawing, Icon } from "../../ui/Icon";
import { TextField } from "../../ui/TextField";
import { oneLine, tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";
import { lightOwner } from "../store/rig";
import { lightIdNow } from "../store/selectors";

const List = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 56vh;
  overflow: auto;
  li {
    display: grid;
    grid-template-columns: 24px minmax(0, 1fr) minmax(0, 120px) auto;
    gap: 8px;
    align-items: center;
    padding: 0 8px;
    min-height: 32px;
    color: ${tone.faint};
  }
  li[data-present] {
    background: ${tone.raised};
  }
  li > button:first-of-type {
    justify-content: flex-start;
    color: ${tone.strong};
  }
  li > span {
    font-size: 12px;
    ${oneLine}
  }
`;

/** All lights in a list, lowest first, found by their names or kinds: to select one, or switch it. */
export function LightsDialog({ onClose }: { onClose: () => void }) {
  const { kindOf, lights, select } = useBench();
  const all = useNow((s) => s.rig.lights);
  const present = useNow(lightIdNow);
  const [typed, setTyped] = useState("");
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const found = all
    .map((light) => ({ light, name: light.name || light.id, kind: kindOf(light) }))
    .filter(({ name, kind }) => words.every((word) => `${name} ${kind?.title ?? ""}`.toLowerCase().includes(word)));
  const pick = (id: string) => {
    select(lightOwner(id));
    onClose();
  };
  return (
    <Dialog title={`Lights (${String(all.length)})`} open onClose={onClose}>
      <TextField
        label="Find a light"
        hideLabel
        autoFocus
        value={typed}
        placeholder="Type to find a light by its name or kind"
        onChange={setTyped}
        onEnter={() => found[0] && pick(found[0].light.id)}
      />
      {found.length === 0 && <p>No light is called that.</p>}
      <List aria-label="Lights">
        {found.map(({ light, name, kind }) => (
          <li key={light.id} data-present={light.id === present || undefined}>
            {kind ? <Drawing path={kind.icon} size={16} /> : <i />}
            <Button weight="bare" onPress={() => pick(light.id)}>
              {name}
            </Button>
            <span>{kind?.title}</span>
            <Toggle weight="bare" aria-label={`${name} on`} isSelected={light.on} onChange={() => lights.turn(light.id)}>
              <Icon name={light.on ? "lit" : "unlit"} size={14} />
            </Toggle>
          </li>
        ))}
      </List>
    </Dialog>
  );
}
