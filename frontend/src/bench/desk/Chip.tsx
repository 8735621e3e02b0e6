import { ToggleButton } from "react-aria-components";
import styled, { css } from "styled-components";
import { STOP } from "../../ui/OneStop";
import { focusRing, tone } from "../../ui/theme";

export const chipLook = css<{ $selected: boolean }>`
  flex: none;
  border: 1px solid ${(p) => (p.$selected ? tone.accent : tone.line)};
  border-radius: 4px;
  background: ${(p) => (p.$selected ? tone.raised : tone.panel)};
`;

const Face = styled(ToggleButton)<{ $selected: boolean }>`
  ${chipLook}
  appearance: none;
  display: grid;
  align-content: center;
  gap: 2px;
  min-width: 58px;
  padding: 0 8px;
  text-align: left;
  font: inherit;
  color: ${tone.strong};
  span {
    color: ${tone.faint};
    font-size: 12px;
  }
  &[data-hovered] {
    background: ${tone.raised};
  }
  &[data-focus-visible] {
    ${focusRing}
  }
`;

/** A chip that is only selected: the plate, or the house light. */
export function Chip({ name, note, selected, onSelect }: { name: string; note: string; selected: boolean; onSelect: () => void }) {
  return (
    <Face {...STOP} $selected={selected} isSelected={selected} onChange={onSelect}>
      {name}
      <span>{note}</span>
    </Face>
  );
}
