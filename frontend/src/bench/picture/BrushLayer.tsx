import { useCallback, useEffect, useRef, type PointerEvent } from "react";
import styled from "styled-components";
import type { SettingOf, Stroke } from "../../api/client";
import { tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";
import { brushNow } from "../store/masking";
import { placementAtOrigin, placementNow } from "../store/selectors";
import type { Brush } from "../store/state";
import { isTyped } from "../typed";
import { Layer } from "./handles/Overlay";
import { EVERYWHERE, onLayer } from "./place";
import { diagonal, toPlate, toScreen, type Point } from "./view";

const Painting = styled(Layer)`
  touch-action: none;
  rect {
    cursor: none;
  }
  &[data-moves] rect {
    cursor: grab;
  }
  g,
  path {
    pointer-events: none;
  }
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
    stroke-opacity: 0.4;
    stroke-width: 2px;
    stroke-linecap: round;
    stroke-linejoin: round;
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
  .marks {
    opacity: 0.38;
    path {
      stroke-opacity: 1;
      stroke-dasharray: none;
      stroke-linejoin: round;
    }
  }
`;

interface Props {
  /** Strokes that are not paint but say what is in and out; they are drawn as lines. */
  hints: Stroke[] | null;
  /** Strokes of a sketch, drawn as broad as they are. */
  marks?: Stroke[] | null;
  /** Whether something is looked at under the marks. */
  faint?: boolean;
  label: string;
  /** Straight strokes run through this point (plate fractions), where there is one. */
  through?: [number, number] | null;
  onDrop: (stroke: Stroke) => void;
}

const SPACING = 0.12; // radii between the points that are kept
const WHEEL = 0.0016;
const SIZES: Record<string, [number, number]> = { ",": [1 / 1.15, 0], ".": [1.15, 0], "<": [1, -0.1], ">": [1, 0.1] };

interface Growing {
  points: number[];
  last: Point;
  from: Point;
  erase: boolean;
  pointer: number;
}

/** A brush over the picture: its size and hardness as rings, and the path that it draws. All of it moves with the hand and
 * not with React; a path stays until the picture has it. */
export function BrushLayer({ hints, marks = null, faint = false, label, through = null, onDrop }: Props) {
  const bench = useBench();
  const { store, now, masking, catalogue } = bench;
  const { plate } = now();
  const placement = useNow(placementAtOrigin);
  const brush = useNow(brushNow);
  const layer = useRef<SVGSVGElement>(null);
  const ring = useRef<SVGGElement>(null);
  const sign = useRef<SVGGElement>(null);
  const path = useRef<SVGPathElement>(null);
  const growing = useRef<Growing | null>(null);
  const shownPath = useRef("");
  const planned = useRef(0);
  // While the space bar is held over the picture the hand moves the view.
  const space = useRef(false);
  // Where the plate's corner is in the window.
  const corner = useRef({ x: 0, y: 0 });
  const radius = placement ? Math.max(1, brush.size * diagonal(plate) * placement.scale) : 1;

  const resize = useRef<(factor: number, harder: number) => void>(() => undefined);
  useEffect(() => {
    const bounded = (name: "size" | "hardness", value: number) => {
      const s = catalogue.brush.settings.find((one): one is SettingOf<"number"> => one.type === "number" && one.name === name);
      return Number(Math.min(s?.high ?? value, Math.max(s?.low ?? value, value)).toFixed(4));
    };
    resize.current = (factor, harder) => {
      const one: Brush = brushNow(now());
      masking.setBrush({ size: bounded("size", one.size * factor), hardness: bounded("hardness", one.hardness + harder) });
    };
  }, [catalogue, masking, now]);

  const showSign = useCallback(
    (flipped: boolean) => {
      const erasing = brushNow(now()).erase !== flipped;
      layer.current?.toggleAttribute("data-erasing", erasing);
      sign.current?.querySelectorAll("path").forEach((one) => one.setAttribute("d", erasing ? "M-4 0h8" : "M-4 0h8M0-4v8"));
    },
    [now],
  );
  const clear = useCallback(() => {
    shownPath.current = "";
    path.current?.setAttribute("d", "");
  }, []);

  useEffect(() => {
    const element = layer.current;
    // With Shift the wheel changes the size, with Shift and Alt the hardness; else it zooms as everywhere.
    const wheel = (event: WheelEvent) => {
      if (!event.shiftKey) return;
      event.preventDefault();
      event.stopPropagation();
      const turn = -(event.deltaY || event.deltaX) * WHEEL;
      if (event.altKey) resize.current(1, turn);
      else resize.current(Math.exp(turn), 0);
    };
    const key = (event: KeyboardEvent) => {
      const typed = isTyped(event.target);
      if (event.key === " " && !typed && (space.current || layer.current?.matches(":hover"))) {
        // Before a control that was pressed last makes a press of it.
        event.preventDefault();
        event.stopPropagation();
        space.current = event.type === "keydown";
        layer.current?.toggleAttribute("data-moves", space.current);
        return;
      }
      showSign(event.altKey);
      if (event.type !== "keydown" || event.ctrlKey || typed) return;
      const step = SIZES[event.key];
      if (step) resize.current(...step);
    };
    // A second finger is no stroke.
    const second = (event: globalThis.PointerEvent) => {
      if (event.isPrimary || !growing.current) return;
      growing.current = null;
      clear();
      masking.dropped();
    };
    // The path has done its work once the picture has the stroke.
    const stop = store.subscribe((s, before) => {
      const [is, was] = [placementNow(s), placementNow(before)];
      if (is && was && is !== was) corner.current = { x: corner.current.x + is.x - was.x, y: corner.current.y + is.y - was.y };
      if (s.exact && !before.exact && !growing.current) clear();
      if (s.brushes !== before.brushes) showSign(false);
    });
    element?.addEventListener("wheel", wheel, { passive: false });
    window.addEventListener("pointerdown", second, { capture: true });
    window.addEventListener("keydown", key, { capture: true });
    window.addEventListener("keyup", key, { capture: true });
    showSign(false);
    return () => {
      stop();
      cancelAnimationFrame(planned.current);
      element?.removeEventListener("wheel", wheel);
      window.removeEventListener("pointerdown", second, { capture: true });
      window.removeEventListener("keydown", key, { capture: true });
      window.removeEventListener("keyup", key, { capture: true });
    };
  }, [store, masking, showSign, clear]);

  if (!placement) return null;
  const pressure = (event: globalThis.PointerEvent) => (event.pointerType === "pen" ? Number(event.pressure.toFixed(3)) : 1);
  const strokeOf = (one: Growing): Stroke => ({
    size: brush.size,
    hardness: brush.hardness,
    flow: hints || marks ? 1 : brush.flow,
    erase: one.erase,
    points: [...one.points],
  });
  const put = (one: Growing, to: Point, press: number) => {
    const [x, y] = toPlate(placement, plate, to);
    one.points.push(Number(x.toFixed(5)), Number(y.toFixed(5)), press);
    shownPath.current += `${one.points.length > 3 ? "L" : "M"}${to.x.toFixed(1)} ${to.y.toFixed(1)}`;
  };
  const begin = (one: Growing) => {
    shownPath.current = path.current?.getAttribute("d") ?? "";
    one.points = [];
  };
  const draw = () => {
    path.current?.setAttribute("d", `${shownPath.current}l0.1 0`);
    if (planned.current) return;
    planned.current = requestAnimationFrame(() => {
      planned.current = 0;
      if (growing.current) masking.draw(strokeOf(growing.current));
    });
  };
  const straight = (from: Point, to: Point): Point => {
    if (!through) return to;
    const point = toScreen(placement, plate, through);
    const length = Math.hypot(from.x - point.x, from.y - point.y) || 1;
    const along = { x: (from.x - point.x) / length, y: (from.y - point.y) / length };
    const far = (to.x - from.x) * along.x + (to.y - from.y) * along.y;
    return { x: from.x + far * along.x, y: from.y + far * along.y };
  };

  /** Whether any of a stroke lies on the plate; one that was drawn beside it is none. */
  const touchesPlate = ({ points }: Growing) => {
    const [width, height] = [plate.width * placement.scale, plate.height * placement.scale];
    return points.some((x, k) => {
      const y = points[k + 1];
      if (k % 3 !== 0 || y === undefined) return false;
      const beside = Math.hypot(Math.max(-x, x - 1, 0) * width, Math.max(-y, y - 1, 0) * height);
      return beside <= radius;
    });
  };

  const find = (event: PointerEvent<SVGRectElement>) => {
    const on = onLayer(event);
    corner.current = { x: event.clientX - on.x, y: event.clientY - on.y };
  };
  const down = (event: PointerEvent<SVGRectElement>) => {
    // The middle button moves the view, and any button does while the space bar is held.
    find(event);
    const to = onLayer(event);
    if (event.button !== 0 || !event.isPrimary || space.current) return;
    event.stopPropagation();
    event.currentTarget.setPointerCapture(event.pointerId);
    const one: Growing = { points: [], last: to, from: to, erase: brush.erase !== event.altKey, pointer: event.pointerId };
    growing.current = one;
    begin(one);
    put(one, to, pressure(event.nativeEvent));
    draw();
  };
  const move = (event: PointerEvent<SVGRectElement>) => {
    // Asking the page where the layer is would have it laid out for every move.
    const here = { x: event.clientX - corner.current.x, y: event.clientY - corner.current.y };
    ring.current?.setAttribute("transform", `translate(${here.x} ${here.y})`);
    ring.current?.setAttribute("visibility", "visible");
    const one = growing.current;
    if (!one || one.pointer !== event.pointerId) return;
    const native = event.nativeEvent;
    if (native.shiftKey) {
      // A straight stroke, from where it began to here.
      one.points = one.points.slice(0, 3);
      shownPath.current = `M${one.from.x.toFixed(1)} ${one.from.y.toFixed(1)}`;
      put(one, straight(one.from, here), pressure(native));
    } else {
      const events = native.getCoalescedEvents().length ? native.getCoalescedEvents() : [native];
      for (const each of events) {
        const to = { x: each.clientX - corner.current.x, y: each.clientY - corner.current.y };
        if (Math.hypot(to.x - one.last.x, to.y - one.last.y) < Math.max(1, SPACING * radius)) continue;
        put(one, to, pressure(each));
        one.last = to;
      }
    }
    draw();
  };
  const up = () => {
    const one = growing.current;
    growing.current = null;
    if (!one) return;
    const touched = touchesPlate(one);
    // Marks draw a stroke themselves; else its path stays until the picture has it.
    if (!touched || marks) clear();
    if (touched) onDrop(strokeOf(one));
    else masking.dropped();
  };
  const line = (points: number[]) =>
    Array.from({ length: points.length / 3 }, (_, k) => toScreen(placement, plate, [points[3 * k] ?? 0, points[3 * k + 1] ?? 0]))
      .map((p, k) => `${k ? "L" : "M"}${p.x.toFixed(1)} ${p.y.toFixed(1)}`)
      .join("");
  return (
    <Painting ref={layer}>
      <rect
        {...EVERYWHERE}
        role="application"
        aria-label={label}
        onPointerEnter={find}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onPointerCancel={up}
        onPointerLeave={() => ring.current?.setAttribute("visibility", "hidden")}
      />
      {hints?.map((hint, k) => (
        <path key={k} className={hint.erase ? "out" : "in"} d={`${line(hint.points)}l0.1 0`} />
      ))}
      {marks && (
        <g className="marks" style={faint ? { opacity: 0 } : undefined}>
          {marks.map((mark, k) => (
            <path
              key={k}
              className={mark.erase ? "out" : "in"}
              style={{ strokeWidth: 2 * mark.size * diagonal(plate) * placement.scale }}
              d={`${line(mark.points)}l0.1 0`}
            />
          ))}
        </g>
      )}
      <path ref={path} className="path" />
      <g ref={ring} visibility="hidden">
        <circle className="dark" r={radius} />
        <circle className="bright" r={radius} />
        {brush.hardness > 0.02 && <circle className="bright soft" r={radius * brush.hardness} />}
        <g ref={sign}>
          <path className="dark" />
          <path className="bright" />
        </g>
      </g>
    </Painting>
  );
}
