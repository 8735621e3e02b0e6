import { useRef, type KeyboardEvent, type PointerEvent, type ReactNode } from "react";
import styled from "styled-components";
import type { GroupInfo, Plate, SettingInfo } from "../api/client";
import { tone } from "../ui/theme";
import { isShown, type SettingValue } from "./rig";
import { notation } from "./units";
import { diagonal, toPlate, toScreen, type Placement, type Point } from "./view";

const Overlay = styled.svg`
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
  g[role="slider"], g[role="button"] { pointer-events: all; cursor: move; outline: none; }
  g[role="button"]:focus-visible .line { stroke: ${tone.accent}; stroke-width: 2.5; }
  .halo { fill: none; stroke: rgb(0 0 0 / 0.55); stroke-width: 3; }
  .line { fill: none; stroke: ${tone.strong}; stroke-width: 1.25; }
  .dash { fill: none; stroke: ${tone.strong}; stroke-opacity: 0.55; stroke-dasharray: 2 5; }
  .grip { fill: transparent; stroke: none; }
  .dot { fill: ${tone.strong}; stroke: rgb(0 0 0 / 0.6); }
  g[role="slider"]:focus-visible .line, g[role="slider"]:focus-visible .dot { stroke: ${tone.accent}; stroke-width: 2.5; }
  text { visibility: hidden; }
  g[role="slider"]:hover text, g[role="slider"]:focus-visible text { visibility: visible; }
  text { fill: ${tone.strong}; font-size: 11px; paint-order: stroke; stroke: rgb(0 0 0 / 0.7); stroke-width: 3px; }
`;

interface Props {
  plate: Plate;
  area: Point;
  placement: Placement;
  group: GroupInfo;
  values: Record<string, unknown>;
  onChange: (name: string, value: SettingValue) => void;
  onRest: (label: string) => void;
  onReset: (setting: SettingInfo) => void;
  children?: ReactNode;
}

/** The handles of a light on the picture, made from what its settings say of themselves. */
export function Handles({ plate, area, placement, group, values, onChange, onRest, onReset, children }: Props) {
  const shown = group.settings.filter((s) => s.handle && isShown(s, values));
  const positions = shown.filter((s) => s.handle === "position");
  const rings = shown.filter((s) => s.handle === "radius" && s.about && positions.some((p) => p.name === s.about));
  const directions = shown.filter((s) => s.handle === "direction");
  const cones = shown.filter((s) => s.handle === "cone" && s.about && positions.some((p) => p.name === s.about));
  const common = { plate, area, placement, onChange, onRest, onReset };
  return (
    <Overlay aria-label="Handles on the picture">
      {rings.map((setting, index) => (
        <Ring key={setting.name} {...common} setting={setting} turn={index} centre={values[setting.about ?? ""] as [number, number]} value={values[setting.name] as number} />
      ))}
      {cones.map((setting, index) => (
        <Cone key={setting.name} {...common} setting={setting} turn={index} values={values} value={values[setting.name] as number} />
      ))}
      {directions.map((setting) => (
        <Direction key={setting.name} {...common} setting={setting} about={setting.about ? (values[setting.about] as [number, number]) : [0.5, 0.5]} value={values[setting.name] as number} />
      ))}
      {positions.map((setting) => (
        <Position key={setting.name} {...common} setting={setting} value={values[setting.name] as [number, number]} />
      ))}
      {children}
    </Overlay>
  );
}

type Common = Pick<Props, "plate" | "area" | "placement" | "onChange" | "onRest" | "onReset"> & { setting: SettingInfo };

/** Pointer capture and movement relative to the overlay. */
function useGrip(move: (at: Point) => void, rest: () => void) {
  const held = useRef<Point | null>(null);
  const place = (event: PointerEvent<SVGGElement>): Point => {
    const box = event.currentTarget.ownerSVGElement?.getBoundingClientRect();
    return { x: event.clientX - (box?.left ?? 0), y: event.clientY - (box?.top ?? 0) };
  };
  return (anchor: Point) => ({
    onPointerDown: (event: PointerEvent<SVGGElement>) => {
      if (event.button !== 0) return;
      event.stopPropagation();
      event.currentTarget.setPointerCapture(event.pointerId);
      const at = place(event);
      held.current = { x: anchor.x - at.x, y: anchor.y - at.y };
    },
    onPointerMove: (event: PointerEvent<SVGGElement>) => {
      if (!held.current) return;
      const at = place(event);
      move({ x: at.x + held.current.x, y: at.y + held.current.y });
    },
    onPointerUp: () => {
      if (!held.current) return;
      held.current = null;
      rest();
    },
  });
}

const arrows: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };

function onArrows(event: KeyboardEvent, act: (dx: number, dy: number, big: boolean) => void) {
  const direction = arrows[event.key];
  if (!direction) return;
  event.preventDefault();
  event.stopPropagation();
  act(direction[0], direction[1], event.shiftKey);
}

function within(setting: SettingInfo, value: number): number {
  return Number(Math.min(setting.high ?? value, Math.max(setting.low ?? value, value)).toFixed(4));
}

function Position({ plate, placement, setting, value, onChange, onRest, onReset }: Common & { value: [number, number] }) {
  const at = toScreen(placement, plate, value);
  const label = setting.label;
  const set = (point: [number, number]) => onChange(setting.name, [within(setting, point[0]), within(setting, point[1])]);
  const grip = useGrip(
    (to) => set(toPlate(placement, plate, to)),
    () => onRest(label),
  );
  return (
    <g
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuenow={Math.round(value[0] * 100)}
      aria-valuetext={`${(value[0] * 100).toFixed(1)} % across, ${(value[1] * 100).toFixed(1)} % down`}
      transform={`translate(${at.x} ${at.y})`}
      onDoubleClick={() => onReset(setting)}
      onKeyDown={(event) =>
        onArrows(event, (dx, dy, big) => {
          const step = (setting.step ?? 0.01) * (big ? 10 : 1);
          set([value[0] + dx * step, value[1] + dy * step]);
          onRest(label);
        })
      }
      {...grip(at)}
    >
      <circle className="grip" r={18} />
      {["halo", "line"].map((c) => (
        <path key={c} className={c} d="M0-15V-5M0 5V15M-15 0H-5M5 0H15M-5 0A5 5 0 0 1 5 0A5 5 0 0 1-5 0" />
      ))}
    </g>
  );
}

function Ring({ plate, placement, setting, turn, centre, value, onChange, onRest, onReset }: Common & { turn: number; centre: [number, number]; value: number }) {
  const at = toScreen(placement, plate, centre);
  const per = diagonal(plate) * placement.scale;
  const radius = value * per;
  // Each ring has its grip in another direction, so that they never lie on one another.
  const angle = (-20 - 55 * turn) * (Math.PI / 180);
  const knob = { x: at.x + Math.cos(angle) * radius, y: at.y + Math.sin(angle) * radius };
  const set = (v: number) => onChange(setting.name, within(setting, v));
  const grip = useGrip(
    (to) => set(Math.hypot(to.x - at.x, to.y - at.y) / per),
    () => onRest(setting.label),
  );
  const text = notation(setting);
  return (
    <>
      <circle className="dash" cx={at.x} cy={at.y} r={radius} />
      <g
        role="slider"
        tabIndex={0}
        aria-label={`${setting.label} on the picture`}
        aria-valuenow={value}
        aria-valuetext={`${text.shown(value)} ${text.unit}`}
        onDoubleClick={() => onReset(setting)}
        onKeyDown={(event) =>
          onArrows(event, (dx, dy, big) => {
            set(value + (dx - dy) * (setting.step ?? 0.01) * (big ? 10 : 1));
            onRest(setting.label);
          })
        }
        {...grip(knob)}
      >
        <circle className="grip" cx={knob.x} cy={knob.y} r={11} />
        <rect className="dot" x={knob.x - 3.5} y={knob.y - 3.5} width={7} height={7} transform={`rotate(45 ${knob.x} ${knob.y})`} />
        <text x={knob.x + 9} y={knob.y - 6}>
          {setting.label}
        </text>
      </g>
    </>
  );
}

/** Half the angle of a cone, as the ring that it makes where its lamp points. */
function Cone({ plate, placement, setting, turn, values, value, onChange, ...rest }: Common & { turn: number; values: Record<string, unknown>; value: number }) {
  const aim = values[setting.about ?? ""] as [number, number];
  const from = values.position as [number, number];
  const across = ((aim[0] - from[0]) * plate.width) / diagonal(plate);
  const down = ((aim[1] - from[1]) * plate.height) / diagonal(plate);
  const far = Math.hypot(across, down, values.height as number);
  // The ring's radius stands for the angle; a ring is dragged as a radius and read back.
  const ring: SettingInfo = { ...setting, low: 0, high: 8, step: 0.002 };
  return (
    <Ring
      {...rest}
      plate={plate}
      placement={placement}
      setting={ring}
      turn={turn + 2}
      centre={aim}
      value={far * Math.tan((value * Math.PI) / 180)}
      onChange={(name, radius) => onChange(name, within(setting, (Math.atan((radius as number) / far) * 180) / Math.PI))}
    />
  );
}

function Direction({ plate, placement, setting, about, value, onChange, onRest, onReset }: Common & { about: [number, number]; value: number }) {
  const centre = toScreen(placement, plate, about);
  const length = 0.22 * Math.min(plate.width, plate.height) * placement.scale + 40;
  const angle = (-(value + placement.angle) * Math.PI) / 180;
  const tip = { x: centre.x + Math.cos(angle) * length, y: centre.y + Math.sin(angle) * length };
  const set = (degrees: number) => onChange(setting.name, Math.round(((((degrees + 180) % 360) + 360) % 360) - 180));
  const grip = useGrip(
    (to) => set((-Math.atan2(to.y - centre.y, to.x - centre.x) * 180) / Math.PI - placement.angle),
    () => onRest(setting.label),
  );
  return (
    <>
      {["halo", "line"].map((c) => (
        <line key={c} className={c} x1={setting.about ? centre.x : 2 * centre.x - tip.x} y1={setting.about ? centre.y : 2 * centre.y - tip.y} x2={tip.x} y2={tip.y} />
      ))}
      <g
        role="slider"
        tabIndex={0}
        aria-label={`${setting.label} on the picture`}
        aria-valuenow={value}
        aria-valuetext={`${value} degrees`}
        transform={`translate(${tip.x} ${tip.y}) rotate(${-value - placement.angle})`}
        onDoubleClick={() => onReset(setting)}
        onKeyDown={(event) =>
          onArrows(event, (dx, dy, big) => {
            set(value + (dx - dy) * (big ? 10 : 1));
            onRest(setting.label);
          })
        }
        {...grip(tip)}
      >
        <circle className="grip" r={14} />
        <path className="dot" d="M9 0-6-6-3 0-6 6z" />
      </g>
    </>
  );
}
