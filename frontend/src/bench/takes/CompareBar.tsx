import styled from "styled-components";
import type { Rig, Show, Take } from "../../api/client";
import { Button, Toggle } from "../../ui/Button";
import { Select } from "../../ui/Select";
import { tone } from "../../ui/theme";

/** Two states side by side: each the present one, the picture as shot, or a take by its number. */
export interface Comparison {
  left: string;
  right: string;
  way: "split" | "beside";
}

const Bar = styled.div`
  position: absolute;
  left: 50%;
  top: 10px;
  transform: translateX(-50%);
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 4px 6px;
  border-radius: 4px;
  background: rgb(20 20 20 / 0.85);
  color: ${tone.faint};
  white-space: nowrap;
`;

/** The rig and what of it is shown for one side of a comparison. */
export function sideOf(side: string, present: Rig, takes: Take[]): { rig: Rig; show: Show } {
  if (side === "shot") return { rig: present, show: { what: "before" } };
  const take = takes.find((t) => String(t.id) === side);
  return { rig: take?.rig ?? present, show: { what: "result" } };
}

interface Props {
  comparison: Comparison;
  takes: Take[];
  onChange: (comparison: Comparison | null) => void;
}

/** What is compared, and how. */
export function CompareBar({ comparison, takes, onChange }: Props) {
  const options = [
    { value: "now", text: "Current state" },
    { value: "shot", text: "As shot" },
    ...takes.map((t) => ({ value: String(t.id), text: t.name })),
  ];
  return (
    <Bar role="group" aria-label="Compare" onPointerDown={(event) => event.stopPropagation()}>
      <Select
        label="On the left"
        hideLabel
        value={comparison.left}
        options={options}
        onChange={(left) => onChange({ ...comparison, left })}
      />
      <Select
        label="On the right"
        hideLabel
        value={comparison.right}
        options={options}
        onChange={(right) => onChange({ ...comparison, right })}
      />
      <Toggle isSelected={comparison.way === "split"} onChange={() => onChange({ ...comparison, way: "split" })}>
        Split
      </Toggle>
      <Toggle isSelected={comparison.way === "beside"} onChange={() => onChange({ ...comparison, way: "beside" })}>
        Side by side
      </Toggle>
      <Button onPress={() => onChange(null)}>Done</Button>
    </Bar>
  );
}
