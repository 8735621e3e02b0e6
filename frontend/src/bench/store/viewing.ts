import type { StoreApi } from "zustand";
import type { Box, KindInfo } from "../../api/client";
import { including, toScreen, zoomed, type Placement, type Point } from "../picture/view";
import { placesOf, type Spot } from "./places";
import { lightNow, paneNow, placementNow } from "./selectors";
import type { State } from "./state";

export type Viewing = ReturnType<typeof makeViewing>;

/** How the plate is put on the screen. */
export function makeViewing(store: StoreApi<State>, kinds: KindInfo[]) {
  let pointer: () => Point | null = () => null;
  /** Where the selected light stands in the area; nowhere where it is not seen. */
  const lightSeen = (s: State, placement: Placement): Point | undefined => {
    const light = lightNow(s);
    const kind = kinds.find((k) => k.name === light?.kind);
    const place = light && kind && placesOf(light, kind).positions[0]?.at;
    const at = place && toScreen(placement, s.plate, place);
    const pane = paneNow(s);
    return at && at.x >= 0 && at.y >= 0 && at.x < pane.x && at.y < pane.y ? at : undefined;
  };
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
    /** Notes who knows where the pointer is in the area, null where it is elsewhere; it is asked only when that is wanted. */
    pointedBy: (ask: () => Point | null) => {
      pointer = ask;
    },
    /** One pixel of the picture to one of the screen: round the pointer, else round the selected light where it is seen. */
    full: () => {
      const s = store.getState();
      const placement = placementNow(s);
      if (placement) zoomBy(1 / window.devicePixelRatio / placement.scale, pointer() ?? lightSeen(s, placement));
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
