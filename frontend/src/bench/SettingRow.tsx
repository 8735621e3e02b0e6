import styled from "styled-components";
import type { SettingInfo } from "../api/client";
import { Button } from "../ui/Button";
import { Check } from "../ui/Check";
import { ColourField } from "../ui/ColourField";
import { Hint } from "../ui/Hint";
import { Icon } from "../ui/Icon";
import { NumberField } from "../ui/NumberField";
import { Select } from "../ui/Select";
import { Slider } from "../ui/Slider";
import { Button as AriaButton } from "react-aria-components";
import { focusRing, tone } from "../ui/theme";
import { PlaceNumbers } from "./PlaceNumbers";
import { ReferenceRow } from "./ReferenceRow";
import type { SettingValue } from "./rig";
import { named, notation, type Size } from "./units";

const Row = styled.div`
  display: grid;
  grid-template-columns: 92px minmax(0, 1fr) 54px 22px 18px;
  align-items: center;
  gap: 6px;
  min-height: 25px;
  .strip { min-height: 20px; padding: 0; opacity: 0; }
  &:hover .strip, .strip:focus-visible { opacity: 1; }
  .wide { grid-column: 2 / 5; }
  .unit { color: ${tone.faint}; font-size: 12px; }
  .pair button { min-height: 22px; }
  .pair { grid-column: 2 / -1; display: grid; grid-template-columns: 1fr 1fr auto; gap: 4px; align-items: center; }
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
  &[data-focus-visible] { ${focusRing} }
`;

interface Props {
  plate: Size;
  setting: SettingInfo;
  value: SettingValue;
  onChange: (value: SettingValue) => void;
  onRest: () => void;
  onReset: () => void;
  onBringIntoView: (() => void) | undefined;
  onStrip: (() => void) | undefined;
  onPoints: { add: () => void; drop: () => void; clear: () => void } | undefined;
}

function isPlace(value: SettingValue): value is [number, number] {
  return Array.isArray(value) && value.length === 2 && typeof value[0] === "number";
}

/** One setting: its name, its slider, its value that can be typed, its unit. Double-click resets it. */
export function SettingRow({ plate, setting, value, onChange, onRest, onReset, onBringIntoView, onStrip, onPoints }: Props) {
  const text = notation(setting);
  const changed = JSON.stringify(value) !== JSON.stringify(setting.default);
  const aside = typeof value === "number" ? text.hint(value, plate) : null;
  const help = [setting.help, aside, "Double-click to reset."].filter(Boolean).join(" · ");
  const once = (next: SettingValue) => {
    onChange(next);
    onRest();
  };
  return (
    <Row onDoubleClick={onReset}>
      <Hint text={help}>
        <Name $changed={changed} aria-label={`${setting.label}: ${setting.help}`} onKeyDown={(e) => (e.key === "Backspace" || e.key === "Delete" ? onReset() : undefined)}>
          {setting.label}
        </Name>
      </Hint>
      {setting.kind === "choice" && typeof value === "string" && (
        <div className="wide">
          <Select
            label={setting.label}
            hideLabel
            value={value}
            options={(setting.choices ?? []).map((c) => ({ value: c, text: named(c) }))}
            onChange={once}
          />
        </div>
      )}
      {setting.kind === "colour" && typeof value === "string" && (
        <div className="wide">
          <ColourField label={setting.label} value={value} onChange={onChange} onRest={onRest} />
        </div>
      )}
      {setting.kind === "point" && isPlace(value) && (
        <div className="pair">
          {([0, 1] as const).map((axis) => (
            <NumberField
              key={axis}
              label={`${setting.label}, ${axis === 0 ? "across" : "down"} in per cent`}
              value={value[axis]}
              low={setting.low}
              high={setting.high}
              step={setting.step ?? 0.01}
              shown={text.shown}
              read={text.read}
              onCommit={(v) => once(axis === 0 ? [v, value[1]] : [value[0], v])}
            />
          ))}
          <Button weight="bare" hint="Draws the view back until the source is seen" onPress={() => onBringIntoView?.()}>
            See
          </Button>
        </div>
      )}
      {(setting.kind === "number" || setting.kind === "whole") && typeof value === "number" && (
        <>
          {setting.unit === "seed" ? (
            <Button weight="bare" aria-label={`Another ${setting.label.toLowerCase()}`} onPress={() => once(value < (setting.high ?? value) ? value + 1 : (setting.low ?? 0))}>
              Another
            </Button>
          ) : (
            <Slider
              label={setting.label}
              value={value}
              low={setting.low ?? 0}
              high={setting.high ?? 1}
              step={setting.step ?? 0.01}
              bend={setting.bend}
              origin={typeof setting.default === "number" ? setting.default : 0}
              onChange={onChange}
              onRest={onRest}
            />
          )}
          <NumberField label={`${setting.label}, value`} value={value} low={setting.low} high={setting.high} step={setting.step ?? 0.01} shown={text.shown} read={text.read} onCommit={once} />
          <span className="unit">{text.unit}</span>
        </>
      )}
      {setting.kind === "switch" && typeof value === "boolean" && (
        <div className="wide">
          <Check label={setting.label} hideLabel isSelected={value} onChange={once} />
        </div>
      )}
      {(setting.kind === "matte" || setting.kind === "picture") && typeof value === "string" && <ReferenceRow setting={setting} value={value} onChange={once} />}
      {setting.kind === "quads" && onPoints && (
        <div className="pair" style={{ gridTemplateColumns: "1fr auto auto" }}>
          <span className="unit">{Array.isArray(value) ? value.length : 0}</span>
          <Button hint="One more beside the last; drag its corners where it belongs" onPress={onPoints.add}>
            Add one more
          </Button>
          <Button weight="bare" isDisabled={!Array.isArray(value) || value.length < 2} hint="Takes the last away" onPress={onPoints.drop}>
            One fewer
          </Button>
        </div>
      )}
      {setting.handle === "strokes" && onPoints && (
        <div className="pair" style={{ gridTemplateColumns: "1fr auto auto" }}>
          <span className="unit">{Array.isArray(value) ? value.length || "none" : "none"}</span>
          <Button hint="Paint on the picture; Escape ends it" onPress={onPoints.add}>
            Paint
          </Button>
          <Button weight="bare" isDisabled={!Array.isArray(value) || value.length === 0} onPress={onPoints.clear}>
            Clear
          </Button>
        </div>
      )}
      {((setting.kind === "strokes" && setting.handle !== "strokes") || setting.kind === "box" || setting.handle === "polygon" || setting.handle === "path") && (
        <div className="pair" style={{ gridTemplateColumns: "1fr auto" }}>
          <span className="unit">{Array.isArray(value) ? (setting.kind === "box" ? "drawn" : value.length || "none") : "none"}</span>
          <Button weight="bare" isDisabled={!Array.isArray(value) || value.length === 0} hint={setting.handle === "path" ? "Takes the path away, so that it can be drawn anew" : undefined} onPress={setting.handle === "path" ? () => once([]) : onReset}>
            {setting.handle === "path" ? "Draw anew" : "Clear"}
          </Button>
        </div>
      )}
      {setting.kind === "points" && setting.handle !== "polygon" && setting.handle !== "path" && onPoints && (
        <div className="pair" style={{ gridTemplateColumns: setting.handle === "points" ? "1fr auto auto" : "1fr auto" }}>
          <span className="unit">{Array.isArray(value) && value.length > 0 ? value.length : "none"}</span>
          {setting.handle === "points" && (
            <Button hint="Puts a point in the middle of the view; drag it where it belongs" onPress={onPoints.add}>
              Add a point
            </Button>
          )}
          <Button weight="bare" isDisabled={!Array.isArray(value) || value.length === 0} onPress={onPoints.clear}>
            Clear
          </Button>
        </div>
      )}
      {(setting.kind === "quads" || setting.handle === "path" || setting.handle === "polygon") && Array.isArray(value) && (
        <PlaceNumbers setting={setting} value={value as [number, number][]} onChange={(next) => once(next)} />
      )}
      {onStrip && (setting.kind === "number" || setting.kind === "whole" || setting.kind === "choice") && (
        <Button weight="bare" className="strip" aria-label={`Test strip of ${setting.label}`} hint="Test strip: this picture with the setting stepped through" onPress={onStrip}>
          <Icon name="strip" size={14} />
        </Button>
      )}
    </Row>
  );
}
