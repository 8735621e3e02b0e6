import { useRef } from "react";
import styled from "styled-components";
import type { SettingInfo } from "../api/client";
import { focusRing, tone } from "../ui/theme";

const Box = styled.div`
  position: relative;
  height: 74px;
  margin: 4px 0 8px;
  touch-action: none;
  svg { width: 100%; height: 60px; display: block; background: ${tone.base}; border-radius: 2px; }
  [role="slider"] {
    position: absolute;
    top: 0;
    bottom: 0;
    width: 15px;
    margin-left: -7px;
    cursor: ew-resize;
    outline: none;
  }
  [role="slider"]::before { content: ""; position: absolute; left: 7px; top: 0; height: 60px; width: 1px; background: ${tone.text}; opacity: 0.7; }
  [role="slider"]::after { content: ""; position: absolute; left: 3px; bottom: 2px; width: 9px; height: 9px; border: 1px solid ${tone.text}; border-radius: 50%; background: var(--fill); }
  [role="slider"]:focus-visible::after { ${focusRing} }
`;

interface Props {
  /** Shares of the light in places that are square roots of its strength, up to `reach`. */
  shares: number[];
  reach: number;
  settings: SettingInfo[];
  values: Record<string, unknown>;
  onChange: (name: string, value: number) => void;
  onRest: (label: string) => void;
  onReset: (setting: SettingInfo) => void;
}

const fills: Record<string, string> = { black: "#000", white: "#fff", gamma: "#808080" };

/** The light's own histogram with its black, white and middle to drag. */
export function Levels({ shares, reach, settings, values, onChange, onRest, onReset }: Props) {
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
  const set = (setting: SettingInfo, wanted: number) => onChange(setting.name, Number(Math.min(setting.high ?? wanted, Math.max(setting.low ?? wanted, wanted)).toFixed(3)));
  const top = Math.max(...shares.slice(1), 1e-6);
  const outline = shares.map((v, i) => `${((i + 0.5) / shares.length) * 100} ${60 - 58 * Math.sqrt(Math.min(1, v / top))}`);
  return (
    <Box ref={box} role="group" aria-label="Levels of the light">
      <svg viewBox="0 0 100 60" preserveAspectRatio="none" aria-hidden>
        {outline.length > 0 && <path d={`M0 60 L${outline.join(" L")} L100 60Z`} fill={tone.faint} />}
      </svg>
      {settings.map((setting) => (
        <div
          key={setting.name}
          role="slider"
          tabIndex={0}
          aria-label={`${setting.label} of the light`}
          aria-valuenow={value(setting.name)}
          aria-valuemin={setting.low ?? 0}
          aria-valuemax={setting.high ?? 1}
          style={{ left: `${(places[setting.name] ?? 0) * 100}%`, ["--fill" as string]: fills[setting.name] }}
          onDoubleClick={() => onReset(setting)}
          onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
          onPointerMove={(event) => {
            const area = box.current?.getBoundingClientRect();
            if (!area || !event.currentTarget.hasPointerCapture(event.pointerId)) return;
            set(setting, valueAt(setting.name, (event.clientX - area.left) / area.width));
          }}
          onPointerUp={() => onRest(setting.label)}
          onKeyDown={(event) => {
            const way = event.key === "ArrowRight" || event.key === "ArrowUp" ? 1 : event.key === "ArrowLeft" || event.key === "ArrowDown" ? -1 : 0;
            if (!way) return;
            event.preventDefault();
            event.stopPropagation();
            set(setting, value(setting.name) + way * (setting.step ?? 0.01) * (event.shiftKey ? 10 : 1));
            onRest(setting.label);
          }}
        />
      ))}
    </Box>
  );
}
