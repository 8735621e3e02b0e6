import { useEffect, useLayoutEffect, useRef, useState, type ReactNode } from "react";
import styled from "styled-components";
import type { Box, Plate } from "../api/client";
import { tone } from "../ui/theme";
import { useHandle } from "../ui/useHandle";
import type { Shown } from "./usePreview";
import { drawPane } from "./drawPane";
import { zoomed, type Placement, type Point } from "./view";

const Area = styled.div`
  position: relative;
  overflow: hidden;
  min-width: 0;
  min-height: 0;
  background: ${tone.surround};
  touch-action: none;
  cursor: grab;
  &[data-panning] {
    cursor: grabbing;
  }
  canvas {
    position: absolute;
    inset: 0;
    width: 100%;
    height: 100%;
    display: block;
  }
`;

interface Props {
  plate: Plate;
  picture: Shown | null;
  /** A second picture: from `split` (a share of the width) on, or in a right half of its own. */
  other?: { picture: Shown | null; split: number | null } | null;
  /** The part of the frame that is drawn. */
  box: Box;
  placement: Placement | null;
  onArea: (area: Point) => void;
  onPlacement: (placement: Placement) => void;
  children: ReactNode;
}

/** The plate on its surround: drawn on a canvas, panned by dragging, zoomed by the wheel to the pointer. */
export function PictureArea({ plate, picture, other = null, box, placement, onArea, onPlacement, children }: Props) {
  const area = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState<Point>({ x: 0, y: 0 });
  const [panning, setPanning] = useState(false);
  const beside = other?.split === null;

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
      // In the right one of two halves the picture lies as in the left one.
      if (beside && at.x > box.width / 2) at.x -= box.width / 2;
      onPlacement(zoomed(placement, at, Math.exp(-event.deltaY * (event.deltaMode === 1 ? 0.05 : 0.0016))));
    };
    element.addEventListener("wheel", wheel, { passive: false });
    return () => element.removeEventListener("wheel", wheel);
  }, [placement, onPlacement, beside]);

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
    const border = other ? Math.round(width * (other.split ?? 0.5)) : width;
    drawPane(context, picture, plate, box, placement, ratio, { from: 0, to: border, offset: 0 });
    if (other)
      drawPane(context, other.picture, plate, box, placement, ratio, {
        from: border,
        to: width,
        offset: other.split === null ? border : 0,
      });
  }, [picture, other, box, placement, size, plate]);

  const pan = useHandle({
    at: placement ?? { x: 0, y: 0 },
    onMove: (to) => {
      setPanning(true);
      if (placement) onPlacement({ ...placement, x: to.x, y: to.y });
    },
    onRest: () => setPanning(false),
  });
  return (
    <Area
      ref={area}
      data-panning={panning || undefined}
      onContextMenu={(event) => event.preventDefault()}
      onPointerDown={pan.onPointerDown}
    >
      <canvas ref={canvas} role="img" aria-label={`${plate.name}, lit`} />
      {children}
    </Area>
  );
}
