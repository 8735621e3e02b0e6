import { useCallback, useEffect, useLayoutEffect, useRef, type PointerEvent, type ReactNode } from "react";
import styled from "styled-components";
import { thumbnailOf } from "../../api/client";
import { tone } from "../../ui/theme";
import { useHandle } from "../../ui/useHandle";
import { useBench, useNow } from "../store/bench";
import { placementNow } from "../store/selectors";
import { usePinch } from "./usePinch";

const Area = styled.div`
  position: relative;
  overflow: hidden;
  min-width: 0;
  min-height: 0;
  background: ${tone.surround};
  touch-action: none;
  cursor: grab;
  &:active {
    cursor: grabbing;
  }
  .pane {
    position: absolute;
    inset: 0;
    overflow: hidden;
    pointer-events: none;
  }
  canvas,
  img {
    position: absolute;
    left: 0;
    top: 0;
    transform-origin: 0 0;
    will-change: transform;
  }
  canvas,
  .bright {
    visibility: hidden;
  }
  .moving {
    position: absolute;
    left: 0;
    top: 0;
    width: 0;
    height: 0;
    will-change: transform;
  }
`;

const NOTCH = 0.0016; // zoom of a pixel of the wheel, as a power of e
const LINE = 0.05;

/** The plate on its surround: panned by dragging, zoomed by the wheel or two fingers to where they are. `children` lie on
 * the plate and move with it, `over` lies over the area. */
export function PictureArea({ children, over }: { children: ReactNode; over: ReactNode }) {
  const { store, now, sheet, beside, viewing } = useBench();
  const area = useRef<HTMLDivElement>(null);
  const moving = useRef<HTMLDivElement>(null);
  const first = useRef<HTMLImageElement>(null);
  const way = useNow((s) => s.comparison?.way ?? null);
  const split = useNow((s) => (s.comparison?.way === "split" ? s.split : null));
  // Until a picture comes there is the one from the list of plates.
  const begun = useNow((s) => s.begun);
  const plate = now().plate;

  useLayoutEffect(() => {
    const element = area.current;
    if (!element) return;
    const observer = new ResizeObserver(() => viewing.area({ x: element.clientWidth, y: element.clientHeight }));
    observer.observe(element);
    return () => observer.disconnect();
  }, [viewing]);

  // The layers follow the view on the next drawn frame, without React.
  useLayoutEffect(() => {
    let planned = 0;
    const lay = () => {
      planned = 0;
      const placement = placementNow(now());
      if (!placement || !moving.current) return;
      moving.current.style.transform = `translate(${placement.x}px, ${placement.y}px)`;
      moving.current.dataset.scale = String(placement.scale);
      if (first.current) {
        first.current.style.transform = `translate(${placement.x}px, ${placement.y}px)`;
        first.current.style.width = `${plate.width * placement.scale}px`;
      }
    };
    lay();
    const stop = store.subscribe(() => {
      if (!planned) planned = requestAnimationFrame(lay);
    });
    return () => {
      stop();
      cancelAnimationFrame(planned);
    };
  }, [store, now, plate]);

  useEffect(() => {
    // React listens to the wheel passively, so that the page could scroll; here it must not.
    const element = area.current;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const box = element?.getBoundingClientRect();
      if (!box) return;
      const at = { x: event.clientX - box.left, y: event.clientY - box.top };
      // In the right one of two halves the picture lies as in the left one.
      if (now().comparison?.way === "beside" && at.x > box.width / 2) at.x -= box.width / 2;
      viewing.zoomBy(Math.exp(-event.deltaY * (event.deltaMode === WheelEvent.DOM_DELTA_LINE ? LINE : NOTCH)), at);
    };
    // Without React and without measuring, which would be done at every move.
    let last: { x: number; y: number } | null = null;
    const point = ({ clientX, clientY }: globalThis.PointerEvent) => {
      last = { x: clientX, y: clientY };
    };
    const leave = () => {
      last = null;
    };
    viewing.pointedBy(() => {
      const box = element?.getBoundingClientRect();
      return last && box ? { x: last.x - box.left, y: last.y - box.top } : null;
    });
    element?.addEventListener("wheel", wheel, { passive: false });
    element?.addEventListener("pointermove", point, { passive: true });
    element?.addEventListener("pointerleave", leave);
    return () => {
      element?.removeEventListener("wheel", wheel);
      element?.removeEventListener("pointermove", point);
      element?.removeEventListener("pointerleave", leave);
      leave();
    };
  }, [now, viewing]);

  const attach = useCallback((canvas: HTMLCanvasElement | null) => sheet.attach(canvas), [sheet]);
  const attachBright = useCallback((image: HTMLImageElement | null) => sheet.attachBright(image), [sheet]);
  const attachBeside = useCallback((canvas: HTMLCanvasElement | null) => beside.attach(canvas), [beside]);
  const attachBesideBright = useCallback((image: HTMLImageElement | null) => beside.attachBright(image), [beside]);
  const pinched = usePinch(area);
  const pan = useHandle({
    at: () => placementNow(now()) ?? { x: 0, y: 0 },
    onMove: (to) => !pinched() && viewing.moveTo(to),
    onRest: () => undefined,
  });
  const border = split ?? 0.5;
  const right = way === "beside" ? { left: "50%" } : { clipPath: `inset(0 0 0 ${border * 100}%)` };
  const left = way === "beside" ? { right: "50%" } : way === "split" ? { clipPath: `inset(0 ${(1 - border) * 100}% 0 0)` } : undefined;
  return (
    <Area
      ref={area}
      data-testid="area"
      onContextMenu={(event) => event.preventDefault()}
      onPointerDownCapture={leaveField}
      onPointerDown={pan.onPointerDown}
    >
      <div className="pane" style={left}>
        {!begun && <img ref={first} src={thumbnailOf(plate)} alt="" draggable={false} />}
        <canvas ref={attach} role="img" aria-label={`${plate.name}, lit`} />
        <img ref={attachBright} className="bright" alt="" draggable={false} />
      </div>
      {way && (
        <div className="pane" style={right}>
          <canvas ref={attachBeside} role="img" aria-label={`${plate.name}, to compare with`} />
          <img ref={attachBesideBright} className="bright" alt="" draggable={false} />
        </div>
      )}
      <div ref={moving} className="moving">
        {children}
      </div>
      {over}
    </Area>
  );
}

/** What is typed is kept before the hand goes on in the picture, which takes no keyboard away by itself. */
function leaveField(event: PointerEvent<HTMLElement>): void {
  const field = document.activeElement;
  if (field instanceof HTMLInputElement && field !== event.target) field.blur();
}
