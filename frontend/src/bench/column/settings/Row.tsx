import { memo } from "react";
import { Button as AriaButton } from "react-aria-components";
import styled from "styled-components";
import type { SettingInfo } from "../../../api/client";
import { Hint } from "../../../ui/Hint";
import { focusRing, oneLine, tone } from "../../../ui/theme";
import { hintOf } from "../units";
import { viewOf, type RowTools } from "./registry";

const Line = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0 6px;
  min-height: 28px;
  .strip {
    min-height: 24px;
    min-width: 24px;
    padding: 0 2px;
    color: ${tone.faint};
  }
  .strip.keyed,
  &:hover .strip,
  .strip:focus-visible {
    color: ${tone.text};
  }
  .value {
    width: 58px;
  }
  /* A name stands closer to its own slider than to the one above. */
  .slider {
    flex: 1 0 100%;
    margin: -4px 0 6px;
  }
  .wide {
    flex: 0 1 168px;
    min-width: 0;
    display: grid;
  }
  .unit {
    width: 20px;
    color: ${tone.faint};
    font-size: 12px;
  }
  .pair button {
    min-height: 24px;
  }
  .file {
    flex: 0 1 auto;
    max-width: 120px;
    color: ${tone.faint};
    font-size: 12px;
    ${oneLine}
  }
  .pair {
    flex: 0 1 auto;
    min-width: 0;
    display: flex;
    gap: 4px;
    align-items: center;
  }
  .pair .value {
    width: 52px;
  }
`;

const Name = styled(AriaButton)<{ $changed: boolean }>`
  appearance: none;
  min-height: 24px;
  flex: 1 1 64px;
  border: 0;
  padding: 0;
  background: none;
  font: inherit;
  text-align: left;
  color: ${(p) => (p.$changed ? tone.strong : tone.text)};
  font-weight: ${(p) => (p.$changed ? 600 : 400)};
  cursor: default;
  &[data-focus-visible] {
    ${focusRing}
  }
`;

interface Props extends RowTools {
  setting: SettingInfo;
  value: unknown;
}

/** The name of a setting, bold where it is not as it comes; Delete resets it. It is drawn anew only when that changes. */
const NameOf = memo(function NameOf({ setting, changed, onReset }: { setting: SettingInfo; changed: boolean; onReset: () => void }) {
  return (
    <Name
      $changed={changed}
      aria-label={`${setting.label}: ${setting.help}`}
      data-keys="Delete"
      onKeyDown={(e) => (e.key === "Backspace" || e.key === "Delete" ? onReset() : undefined)}
    >
      {setting.label}
    </Name>
  );
});

/** One setting: its name with its help, and what its type shows beside it. Double-click resets it. */
export const Row = memo(function Row({ setting, value, ...tools }: Props) {
  const view = viewOf(setting);
  if (!view || view.quiet) return null;
  const changed = JSON.stringify(value) !== JSON.stringify(setting.default);
  const help = [setting.help, hintOf(setting, value, tools.plate), "Double-click to reset"].filter(Boolean).join(". ");
  return (
    <Hint text={`${setting.label}. ${help}.`}>
      <Line onDoubleClick={tools.onReset} data-setting={setting.name}>
        <NameOf setting={setting} changed={changed} onReset={tools.onReset} />
        {tools.keys}
        <view.Row setting={setting} value={value} {...tools} />
      </Line>
    </Hint>
  );
});
