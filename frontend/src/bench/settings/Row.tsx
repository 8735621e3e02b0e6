import { Button as AriaButton } from "react-aria-components";
import styled from "styled-components";
import type { SettingInfo } from "../../api/client";
import { Hint } from "../../ui/Hint";
import { focusRing, tone } from "../../ui/theme";
import { hintOf } from "../units";
import { viewOf, type RowTools } from "./registry";

const Line = styled.div`
  display: grid;
  grid-template-columns: 92px minmax(0, 1fr) 54px 22px 18px;
  align-items: center;
  gap: 6px;
  min-height: 25px;
  .strip {
    min-height: 20px;
    padding: 0;
    opacity: 0;
  }
  &:hover .strip,
  .strip:focus-visible {
    opacity: 1;
  }
  .wide {
    grid-column: 2 / 5;
  }
  .unit {
    color: ${tone.faint};
    font-size: 12px;
  }
  .pair button {
    min-height: 22px;
  }
  .pair {
    grid-column: 2 / -1;
    display: grid;
    grid-template-columns: 1fr 1fr auto;
    gap: 4px;
    align-items: center;
  }
`;

const Name = styled(AriaButton)<{ $changed: boolean }>`
  appearance: none;
  border: 0;
  padding: 0;
  background: none;
  font: inherit;
  text-align: left;
  color: ${(p) => (p.$changed ? tone.strong : tone.faint)};
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  cursor: default;
  &[data-focus-visible] {
    ${focusRing}
  }
`;

interface Props extends RowTools {
  setting: SettingInfo;
  value: unknown;
}

/** One setting: its name with its help, and what its type shows beside it. Double-click resets it. */
export function Row({ setting, value, ...tools }: Props) {
  const view = viewOf(setting);
  if (!view || view.quiet) return null;
  const changed = JSON.stringify(value) !== JSON.stringify(setting.default);
  const help = [setting.help, hintOf(setting, value, tools.plate), "Double-click to reset"].filter(Boolean).join(". ");
  return (
    <Line onDoubleClick={tools.onReset}>
      <Hint text={`${help}.`}>
        <Name
          $changed={changed}
          aria-label={`${setting.label}: ${setting.help}`}
          onKeyDown={(e) => (e.key === "Backspace" || e.key === "Delete" ? tools.onReset() : undefined)}
        >
          {setting.label}
        </Name>
      </Hint>
      <view.Row setting={setting} value={value} {...tools} />
    </Line>
  );
}
