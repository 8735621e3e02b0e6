import styled from "styled-components";
import { Button, Toggle } from "../../ui/Button";
import { Select } from "../../ui/Select";
import { tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";

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

/** What is compared, and how. */
export function CompareBar() {
  const { compare } = useBench();
  const comparison = useNow((s) => s.comparison);
  const takes = useNow((s) => s.takes);
  if (!comparison) return null;
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
        onChange={(left) => compare({ ...comparison, left })}
      />
      <Select
        label="On the right"
        hideLabel
        value={comparison.right}
        options={options}
        onChange={(right) => compare({ ...comparison, right })}
      />
      <Toggle isSelected={comparison.way === "split"} onChange={() => compare({ ...comparison, way: "split" })}>
        Split
      </Toggle>
      <Toggle isSelected={comparison.way === "beside"} onChange={() => compare({ ...comparison, way: "beside" })}>
        Side by side
      </Toggle>
      <Button onPress={() => compare(null)}>Done</Button>
    </Bar>
  );
}
