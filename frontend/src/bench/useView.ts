import { useCallback, useMemo, useState } from "react";
import type { Box, Plate } from "../api/client";
import type { Spot } from "./places";
import { fitted, including, wantedView, WHOLE, zoomed, type Placement, type Point } from "./view";

export type BenchView = ReturnType<typeof useView>;

/** How the plate lies on the screen. `whole`: all of the frame is shown whatever the crop; `halved`: two pictures share the area. */
export function useView(plate: Plate, angle: number, whole: boolean, halved: boolean) {
  const [area, setArea] = useState<Point>({ x: 0, y: 0 });
  const [placed, setPlaced] = useState<Placement | null>(null);
  const [seen, setSeen] = useState<Box>(WHOLE);
  const box = whole ? WHOLE : seen;
  const pane = useMemo<Point>(() => (halved ? { x: area.x / 2, y: area.y } : area), [area, halved]);
  const placement = useMemo(
    () => (placed ? { ...placed, angle } : pane.x > 0 ? fitted(pane, plate, angle, box) : null),
    [placed, pane, plate, angle, box],
  );
  const ratio = window.devicePixelRatio;
  const wanted = useMemo(() => placement && wantedView(placement, pane, plate, ratio, box), [placement, pane, plate, ratio, box]);
  const zoomBy = (factor: number) => placement && setPlaced(zoomed(placement, { x: pane.x / 2, y: pane.y / 2 }, factor));
  return {
    area,
    placement,
    box,
    seen,
    /** What to ask of the service. */
    wanted,
    /** Screen pixels to a pixel of the plate. */
    zoom: (placement?.scale ?? 0) * ratio,
    setArea,
    setPlaced,
    fit: () => setPlaced(null),
    full: () => placement && zoomBy(1 / ratio / placement.scale),
    zoomBy,
    see: (...places: Spot[]) => setPlaced(including(area, plate, angle, ...places)),
    /** Which part of the frame the service says is seen. */
    onSeen: useCallback((told: Box) => setSeen((now) => (JSON.stringify(now) === JSON.stringify(told) ? now : told)), []),
  };
}
