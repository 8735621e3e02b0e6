import type { StoreApi } from "zustand";
import type { Box } from "../../api/client";
import { including, zoomed, type Placement, type Point } from "../picture/view";
import type { Spot } from "./places";
import { paneNow, placementNow } from "./selectors";
import type { State } from "./state";

export type Viewing = ReturnType<typeof makeViewing>;

/** How the plate is put on the screen. */
export function makeViewing(store: StoreApi<State>) {
  const put = (placed: Placement | null) => store.setState({ placed });
  const zoomBy = (factor: number, at?: Point) => {
    const s = store.getState();
    const placement = placementNow(s);
    const pane = paneNow(s);
    if (placement) put(zoomed(placement, at ?? { x: pane.x / 2, y: pane.y / 2 }, factor));
  };
  return {
    put,
    area: (area: Point) => store.setState({ area }),
    fit: () => put(null),
    full: () => {
      const placement = placementNow(store.getState());
      if (placement) zoomBy(1 / window.devicePixelRatio / placement.scale);
    },
    zoomBy,
    moveTo: (to: Point) => {
      const placement = placementNow(store.getState());
      if (placement) put({ ...placement, x: to.x, y: to.y });
    },
    /** Draws back until places are in view. */
    see: (...places: Spot[]) => {
      const { area, plate, rig } = store.getState();
      put(including(area, plate, rig.prepare.straighten, ...places));
    },
    /** Which part of the frame the service says is seen. */
    told: (box: Box) => store.setState((s) => (JSON.stringify(s.seen) === JSON.stringify(box) ? s : { seen: box })),
  };
}
