import { useEffect, useRef, useState, type PointerEvent } from "react";
import styled from "styled-components";
import type { GroupInfo, Plate, SettingOf, Stroke } from "../../api/client";
import { tone } from "../../ui/theme";
import { diagonal, toPlate, toScreen, type Placement, type Point } from "../view";
import type { Brush } from "./useMasking";

const Layer = styled.svg`
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  cursor: none;
  touch-action: none;
  outline: none;
  circle {
    fill: none;
  }
  .dark {
    stroke: rgb(0 0 0 / 0.7);
    stroke-width: 2.5;
  }
  .bright {
    stroke: #fff;
    stroke-width: 1;
  }
  .soft {
    stroke-dasharray: 2 4;
  }
  .path {
    fill: none;
    stroke: #fff;
    stroke-opacity: 0.5;
    stroke-width: 1;
  }
  .in,
  .out {
    fill: none;
    stroke-width: 2.5;
    stroke-linecap: round;
    stroke-opacity: 0.85;
  }
  .in {
    stroke: ${tone.accent};
  }
  .out {
    stroke: ${tone.danger};
    stroke-dasharray: 1 6;
  }
`;

interface Props {
  plate: Plate;
  placement: Placement;
  brush: Brush;
  group: GroupInfo;
  /** Strokes that are not paint but say what is in and out; they are drawn as lines. */
  hints: Stroke[] | null;
  label: string;
  /** Straight strokes run through this point (plate fractions), where there is one. */
  through?: [number, number] | null;
  onResize: (brush: Brush) => void;
  onDraw: (stroke: Stroke) => void;
  onDrop: (stroke: Stroke) => void;
}

const SPACING = 0.12; // radii between the points that are kept
const WHEEL = 0.0016;

/** A brush over the picture: its size and hardness as rings, and what it draws. */
export function BrushLayer({ plate, placement, brush, group, hints, label, through = null, onResize, onDraw, onDrop }: Props) {
  const [at, setAt] = useState<Point | null>(null);
  const [flip, setFlip] = useState(false);
  const stroke = useRef<{ points: number[]; last: Point; erase: boolean; from: Point } | null>(null);
  const layer = useRef<SVGSVGElement>(null);
  const radius = brush.size * diagonal(plate) * placement.scale;
  const erasing = brush.erase !== flip;

  const bounded = (name: "size" | "hardness", value: number) => {
    const s = group.settings.find((one): one is SettingOf<"number"> => one.type === "number" && one.name === name);
    return Number(Math.min(s?.high ?? value, Math.max(s?.low ?? value, value)).toFixed(4));
  };
  const sized = useRef((factor: number, harder: number) =>
    onResize({ ...brush, size: bounded("size", brush.size * factor), hardness: bounded("hardness", brush.hardness + harder) }),
  );
  useEffect(() => {
    sized.current = (factor, harder) =>
      onResize({ ...brush, size: bounded("size", brush.size * factor), hardness: bounded("hardness", brush.hardness + harder) });
  });

  useEffect(() => {
    const element = layer.current;
    // With Shift the wheel changes the size, with Shift and Alt the hardness; else it zooms as everywhere.
    const wheel = (event: WheelEvent) => {
      if (!event.shiftKey) return;
      event.preventDefault();
      event.stopPropagation();
      const turn = -(event.deltaY || event.deltaX) * WHEEL;
      if (event.altKey) sized.current(1, turn);
      else sized.current(Math.exp(turn), 0);
    };
    const key = (event: KeyboardEvent) => {
      setFlip(event.altKey);
      if (event.type !== "keydown" || event.ctrlKey || event.target instanceof HTMLInputElement) return;
      const steps: Record<string, [number, number]> = { ",": [1 / 1.15, 0], ".": [1.15, 0], "<": [1, -0.1], ">": [1, 0.1] };
      const step = steps[event.key];
      if (step) sized.current(...step);
    };
    element?.addEventListener("wheel", wheel, { passive: false });
    window.addEventListener("keydown", key);
    window.addEventListener("keyup", key);
    return () => {
      element?.removeEventListener("wheel", wheel);
      window.removeEventListener("keydown", key);
      window.removeEventListener("keyup", key);
    };
  }, []);

  const place = (event: { clientX: number; clientY: number }): Point => {
    const box = layer.current?.getBoundingClientRect();
    return { x: event.clientX - (box?.left ?? 0), y: event.clientY - (box?.top ?? 0) };
  };
  const pressure = (event: globalThis.PointerEvent) => (event.pointerType === "pen" ? Number(event.pressure.toFixed(3)) : 1);
  const made = (): Stroke | null => {
    const now = stroke.current;
    return now && { size: brush.size, hardness: brush.hardness, flow: hints ? 1 : brush.flow, erase: now.erase, points: now.points };
  };
  const put = (to: Point, press: number) => {
    const [x, y] = toPlate(placement, plate, to);
    stroke.current?.points.push(Number(x.toFixed(5)), Number(y.toFixed(5)), press);
  };

  const straight = (from: Point, to: Point): Point => {
    if (!through) return to;
    const point = toScreen(placement, plate, through);
    const length = Math.hypot(from.x - point.x, from.y - point.y) || 1;
    const along = { x: (from.x - point.x) / length, y: (from.y - point.y) / length };
    const far = (to.x - from.x) * along.x + (to.y - from.y) * along.y;
    return { x: from.x + far * along.x, y: from.y + far * along.y };
  };

  const down = (event: PointerEvent<SVGSVGElement>) => {
    if (event.button !== 0) return; // the middle button moves the view
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    const to = place(event);
    stroke.current = { points: [], last: to, erase: brush.erase !== event.altKey, from: to };
    put(to, pressure(event.nativeEvent));
    const begun = made();
    if (begun) onDraw(begun);
  };
  const move = (event: PointerEvent<SVGSVGElement>) => {
    setAt(place(event));
    const now = stroke.current;
    if (!now) return;
    const native = event.nativeEvent;
    if (native.shiftKey) {
      // A straight stroke, from where it began to here.
      now.points = now.points.slice(0, 3);
      put(straight(now.from, place(event)), pressure(native));
    } else {
      const events = native.getCoalescedEvents().length ? native.getCoalescedEvents() : [native];
      for (const one of events) {
        const to = place(one);
        if (Math.hypot(to.x - now.last.x, to.y - now.last.y) < Math.max(1, SPACING * radius)) continue;
        put(to, pressure(one));
        now.last = to;
      }
    }
    const grown = made();
    if (grown) onDraw({ ...grown, points: [...grown.points] });
  };
  const up = () => {
    const done = made();
    stroke.current = null;
    if (done) onDrop({ ...done, points: [...done.points] });
  };

  const line = (points: number[]) =>
    Array.from({ length: points.length / 3 }, (_, k) => toScreen(placement, plate, [points[3 * k] ?? 0, points[3 * k + 1] ?? 0]))
      .map((p, k) => `${k ? "L" : "M"}${p.x.toFixed(1)} ${p.y.toFixed(1)}`)
      .join("");
  const drawing = stroke.current?.points;
  return (
    <Layer
      ref={layer}
      role="application"
      aria-label={label}
      data-erasing={erasing || undefined}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={up}
      onPointerLeave={() => setAt(null)}
    >
      {hints?.map((hint, k) => (
        <path key={k} className={hint.erase ? "out" : "in"} d={`${line(hint.points)}l0.1 0`} />
      ))}
      {drawing && <path className="path" d={line(drawing)} />}
      {at && (
        <g>
          {(["dark", "bright"] as const).map((c) => (
            <circle key={c} className={c} cx={at.x} cy={at.y} r={Math.max(radius, 1)} />
          ))}
          {brush.hardness > 0.02 && <circle className="bright soft" cx={at.x} cy={at.y} r={radius * brush.hardness} />}
          <path className="dark" d={erasing ? `M${at.x - 4} ${at.y}h8` : `M${at.x - 4} ${at.y}h8M${at.x} ${at.y - 4}v8`} />
          <path className="bright" d={erasing ? `M${at.x - 4} ${at.y}h8` : `M${at.x - 4} ${at.y}h8M${at.x} ${at.y - 4}v8`} />
        </g>
      )}
    </Layer>
  );
}
