import { useEffect, useLayoutEffect, useRef, useState, type ReactNode } from "react";
import styled from "styled-components";
import type { Box, Plate } from "../api/client";
import { tone } from "../ui/theme";
import type { Shown } from "./usePreview";
import { boxOnScreen, zoomed, type Placement, type Point } from "./view";

const Area = styled.div`
  position: relative;
  overflow: hidden;
  min-width: 0;
  min-height: 0;
  background: ${tone.surround};
  touch-action: none;
  cursor: grab;
  &[data-panning] { cursor: grabbing; }
  canvas { position: absolute; inset: 0; width: 100%; height: 100%; display: block; }
`;

interface Props {
  plate: Plate;
  picture: Shown | null;
  /** The part of the frame that is drawn. */
  box: Box;
  placement: Placement | null;
  onArea: (area: Point) => void;
  onPlacement: (placement: Placement) => void;
  children: ReactNode;
}

/** The plate on its surround: drawn on a canvas, panned by dragging, zoomed by the wheel to the pointer. */
export function PictureArea({ plate, picture, box, placement, onArea, onPlacement, children }: Props) {
  const area = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState<Point>({ x: 0, y: 0 });
  const [panning, setPanning] = useState(false);

  useLayoutEffect(() => {
    const element = area.current;
    if (!element) return;
    const observer = new ResizeObserver(() => {
      const next = { x: element.clientWidth, y: element.clientHeight };
      setSize(next);
      onArea(next);
    });
    observer.observe(element);
    return () => observer.disconnect();
  }, [onArea]);

  // React listens to the wheel passively, so that the page could scroll; here it must not.
  useEffect(() => {
    const element = area.current;
    if (!element || !placement) return;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const box = element.getBoundingClientRect();
      const at = { x: event.clientX - box.left, y: event.clientY - box.top };
      onPlacement(zoomed(placement, at, Math.exp(-event.deltaY * (event.deltaMode === 1 ? 0.05 : 0.0016))));
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  }, [placement, onPlacement]);

  useLayoutEffect(() => {
    const target = canvas.current;
    const context = target?.getContext("2d");
    if (!target || !context || !placement || size.x === 0) return;
    const ratio = window.devicePixelRatio;
    const width = Math.round(size.x * ratio);
    const height = Math.round(size.y * ratio);
    if (target.width !== width || target.height !== height) {
      target.width = width;
      target.height = height;
    }
    context.fillStyle = tone.surround;
    context.fillRect(0, 0, width, height);
    const full = { x: plate.width * placement.scale * ratio, y: plate.height * placement.scale * ratio };
    const left = Math.round(placement.x * ratio);
    const top = Math.round(placement.y * ratio);
    if (!picture) {
      context.fillStyle = "#2e2e2e";
      context.fillRect(left, top, full.x, full.y);
      return;
    }
    const { bitmap, view } = picture;
    const seen = boxOnScreen({ ...placement, x: placement.x * ratio, y: placement.y * ratio, scale: placement.scale * ratio }, plate, box);
    context.save();
    context.beginPath();
    context.rect(Math.round(seen.left), Math.round(seen.top), Math.round(seen.width), Math.round(seen.height));
    context.clip();
    const across = full.x / view.width;
    const down = full.y / view.height;
    // Where the frame was made for just this size it goes to the screen pixel for pixel.
    const exact = Math.abs(across - 1) < 0.6 / view.width;
    context.imageSmoothingEnabled = !exact && across < 2;
    context.imageSmoothingQuality = "high";
    context.drawImage(
      bitmap,
      left + (exact ? view.x0 : view.x0 * across),
      top + (exact ? view.y0 : view.y0 * down),
      bitmap.width * (exact ? 1 : ((view.x1 - view.x0) * across) / bitmap.width),
      bitmap.height * (exact ? 1 : ((view.y1 - view.y0) * down) / bitmap.height),
    );
    context.restore();
  }, [picture, box, placement, size, plate]);

  const drag = useRef<{ at: Point; from: Placement } | null>(null);
  return (
    <Area
      ref={area}
      data-panning={panning || undefined}
      onContextMenu={(event) => event.preventDefault()}
      onPointerDown={(event) => {
        if (!placement || event.button === 2) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        drag.current = { at: { x: event.clientX, y: event.clientY }, from: placement };
        setPanning(true);
      }}
      onPointerMove={(event) => {
        const now = drag.current;
        if (!now) return;
        onPlacement({ ...now.from, x: now.from.x + event.clientX - now.at.x, y: now.from.y + event.clientY - now.at.y });
      }}
      onPointerUp={() => {
        drag.current = null;
        setPanning(false);
      }}
    >
      <canvas ref={canvas} role="img" aria-label={`${plate.name}, lit`} />
      {children}
    </Area>
  );
}
