import { useState } from "react";
import styled from "styled-components";
import type { Catalogue, Light, Rig } from "../api/client";
import { Button } from "../ui/Button";
import { Icon } from "../ui/Icon";
import { tone } from "../ui/theme";
import { Chip } from "./Chip";
import { LightChip, type LightActions } from "./LightChip";
import { HOUSE, lightOwner, sameOwner, type Selection } from "./rig";

const Row = styled.div`
  display: flex;
  align-items: stretch;
  gap: 8px;
  padding: 8px 12px;
  height: 100%;
  overflow-x: auto;
  background: ${tone.base};
  border-top: 1px solid #111;
`;

/** Stays in sight however many lights there are. */
const Add = styled.div`
  display: grid;
  align-content: center;
  position: sticky;
  right: -12px;
  padding: 0 12px 0 8px;
  background: ${tone.base};
`;

interface Props {
  rig: Rig;
  catalogue: Catalogue;
  selection: Selection;
  solo: string | null;
  onSelect: (selection: Selection) => void;
  says: Record<string, string>;
  onAdd: () => void;
  onMove: (id: string, to: number) => void;
  actions: LightActions;
}

/** The plate, the house light and every light in order, lowest first, with what adds another. */
export function Desk({ rig, catalogue, selection, solo, says, onSelect, onAdd, onMove, actions }: Props) {
  const [carried, setCarried] = useState<string | null>(null);
  const selected = selection !== "plate" && selection.of === "light" ? selection.id : null;
  const titles = new Map(catalogue.kinds.map((kind) => [kind.name, kind.title]));
  const titleOf = (light: Light) => light.name || (titles.get(light.kind) ?? light.kind);
  return (
    <Row role="toolbar" aria-label="Desk" aria-orientation="horizontal">
      <Chip name="Plate" note="prepare" selected={selection === "plate"} onSelect={() => onSelect("plate")} />
      <Chip
        name="House light"
        note={`level ${rig.house.level.toFixed(2)}`}
        selected={selection !== "plate" && sameOwner(selection, HOUSE)}
        onSelect={() => onSelect(HOUSE)}
      />
      {rig.lights.map((light, index) => (
        <LightChip
          key={light.id}
          light={light}
          title={titleOf(light)}
          selected={selected === light.id}
          solo={solo === light.id}
          first={index === 0}
          last={index === rig.lights.length - 1}
          carried={carried === light.id}
          says={says[light.id]}
          onSelect={() => onSelect(lightOwner(light.id))}
          onCarry={(now) => setCarried(now ? light.id : null)}
          onDropHere={() => {
            if (carried && carried !== light.id) onMove(carried, index);
            setCarried(null);
          }}
          onMove={(by) => onMove(light.id, index + by)}
          actions={actions}
        />
      ))}
      <Add>
        <Button weight={rig.lights.length === 0 ? "strong" : "plain"} hint="Every kind of light on this plate (A)" onPress={onAdd}>
          <Icon name="plus" /> Add a light
        </Button>
      </Add>
    </Row>
  );
}
