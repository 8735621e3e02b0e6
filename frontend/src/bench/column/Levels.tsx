import { useRef, type RefObject } from "react";
import styled from "styled-components";
import type { SettingOf } from "../../api/client";
import { focusRing, tone } from "../../ui/theme";
import { useHandle } from "../../ui/useHandle";
import { useBench, useNow, useSome } from "../store/bench";
import { valuesAt } from "../store/rig";
import type { LiveTools } from "./settings/LiveGroup";

type Level = SettingOf<"number">;

const Box = styled.div`
  position: relative;
  height: 74px;
  margin: 4px 0 8px;
  touch-action: none;
  svg {
    width: 100%;
    height: 60px;
    display: block;
    background: ${tone.base};
    border-radius: 2px;
  }
  [role="slider"] {
    position: absolute;
    top: 0;
    bottom: 0;
    width: 15px;
    margin-left: -7px;
    cursor: ew-resize;
    outline: none;
  }
  [role="slider"]::before {
    content: "";
    position: absolute;
    left: 7px;
    top: 0;
    height: 60px;
    width: 1px;
    background: ${tone.text};
    opacity: 0.7;
  }
  [role="slider"]::after {
    content: "";
    position: absolute;
    left: 3px;
    bottom: 2px;
    width: 9px;
    height: 9px;
    border: 1px solid ${tone.text};
    border-radius: 50%;
    background: var(--fill);
  }
  [role="slider"]:focus-visible::after {
    ${focusRing}
  }
`;

interface Props {
  id: string;
  settings: Level[];
  tools: LiveTools;
}

const fills: Record<string, string> = { black: "#000", white: "#fff", gamma: "#808080" };

/** The light's own histogram with its black, white and middle to drag. */
export function Levels({ id, settings, tools: { onChange, onRest, onReset } }: Props) {
  const reach = useBench().catalogue.limits.light_reach;
  // Shares of the light in places that are square roots of its strength, up to `reach`.
  const shares = useNow((s) => s.facts?.of_light?.shares) ?? [];
  const values = useSome((s) => {
    const all = valuesAt(s.rig, { light: id, stage: "colour" });
    return Object.fromEntries(settings.map(({ name }) => [name, all[name]]));
  });
  const box = useRef<HTMLDivElement>(null);
  const value = (name: string) => Number(values[name]);
  const placeOf = (light: number) => Math.sqrt(Math.max(light, 0) / reach);
  const span = Math.max(value("white") - value("black"), 0.01);
  const places: Record<string, number> = {
    black: placeOf(value("black")),
    white: placeOf(value("white")),
    gamma: placeOf(value("black") + span * Math.pow(0.5, value("gamma"))),
  };
  const valueAt = (name: string, place: number) => {
    const light = reach * Math.min(1, Math.max(0, place)) ** 2;
    if (name !== "gamma") return light;
    return Math.log(Math.min(0.99, Math.max(0.01, (light - value("black")) / span))) / Math.log(0.5);
  };
  const top = Math.max(...shares.slice(1), 1e-6);
  const outline = shares.map((v, i) => `${((i + 0.5) / shares.length) * 100} ${60 - 58 * Math.sqrt(Math.min(1, v / top))}`);
  return (
    <Box ref={box} role="group" aria-label="Levels of the light">
      <svg viewBox="0 0 100 60" preserveAspectRatio="none" aria-hidden>
        {outline.length > 0 && <path d={`M0 60 L${outline.join(" L")} L100 60Z`} fill={tone.faint} />}
      </svg>
      {settings.map((setting) => (
        <Mark
          key={setting.name}
          box={box}
          setting={setting}
          value={value(setting.name)}
          place={places[setting.name] ?? 0}
          valueAt={(place) => valueAt(setting.name, place)}
          onChange={(next) => onChange(setting.name, next)}
          onRest={() => onRest(setting.label)}
          onReset={() => onReset(setting)}
        />
      ))}
    </Box>
  );
}

interface MarkProps {
  box: RefObject<HTMLDivElement | null>;
  setting: Level;
  value: number;
  /** Where it stands, as a share of the histogram's width. */
  place: number;
  valueAt: (place: number) => number;
  onChange: (value: number) => void;
  onRest: () => void;
  onReset: () => void;
}

/** Black, white or the middle, to be dragged. */
function Mark({ box, setting, value, place, valueAt, onChange, onRest, onReset }: MarkProps) {
  const set = (wanted: number) => onChange(Number(Math.min(setting.high, Math.max(setting.low, wanted)).toFixed(3)));
  const width = () => box.current?.getBoundingClientRect().width ?? 1;
  const handle = useHandle({
    at: () => ({ x: place * width(), y: 0 }),
    onMove: (to) => set(valueAt(to.x / width())),
    onStep: (across, down) => set(value + (across - down) * setting.step),
    onRest,
  });
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={`${setting.label} of the light`}
      aria-valuenow={value}
      aria-valuemin={setting.low}
      aria-valuemax={setting.high}
      style={{ left: `${place * 100}%`, ["--fill" as string]: fills[setting.name] }}
      onDoubleClick={onReset}
      {...handle}
    />
  );
}
