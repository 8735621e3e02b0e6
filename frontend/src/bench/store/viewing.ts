import type { StoreApi } from "zustand";
import type { Box, KindInfo } from "../../api/client";
import { between, including, toScreen, zoomed, type Placement, type Point } from "../picture/view";
import { cornersOf, placesOf, type Spot } from "./places";
import { lightNow, paneNow, placementNow } from "./selectors";
import type { State } from "./state";

const GLIDE = 220; // ms
const EDGE = 48; // CSS pixels from the edge within which a source has no room for its handles
const GRIP = 8; // and a corner for its grip

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
  let gliding = 0;
  let roomFor: Placement | null = null;
  /** Moves the view there as one steady move; at once where motion is to be reduced. */
  const glide = (to: Placement) => {
    const from = placementNow(store.getState());
    cancelAnimationFrame(gliding);
    if (!from || window.matchMedia("(prefers-reduced-motion: reduce)").matches) {
      put(to);
      return;
    }
    const began = performance.now();
    let last: Placement | null = store.getState().placed;
    const step = (now: number) => {
      // Whoever moves the view meanwhile has it.
      if (store.getState().placed !== last) return;
      const share = Math.min(1, Math.max(0, (now - began) / GLIDE));
      put((last = share < 1 ? between(from, to, share * (2 - share)) : to));
      if (share < 1) gliding = requestAnimationFrame(step);
    };
    gliding = requestAnimationFrame(step);
  };
  /** Draws back where the source of the selected light, or a corner of it, went out of sight, unless the hand has chosen the view. */
  const makeRoom = () => {
    const s = store.getState();
    const placement = placementNow(s);
    const light = lightNow(s);
    const kind = kinds.find((k) => k.name === light?.kind);
    if (!placement || !light || !kind || (s.placed !== null && s.placed !== roomFor)) return;
    const pane = paneNow(s);
    const hasRoom = (spot: Spot, edge: number) => {
      const at = toScreen(placement, s.plate, spot);
      return at.x >= edge && at.y >= edge && at.x <= pane.x - edge && at.y <= pane.y - edge;
    };
    const source = placesOf(light, kind)
      .positions.slice(0, 1)
      .map(({ at }) => at);
    const corners = cornersOf(light, kind);
    if (source.every((spot) => hasRoom(spot, EDGE)) && corners.every((spot) => hasRoom(spot, GRIP))) return;
    roomFor = including(pane, s.plate, s.rig.prepare.straighten, ...source, ...corners);
    glide(roomFor);
  };
  return {
    put,
    /** Keeps the source of the selected light in sight, as it comes and whenever it has been moved; ends by what comes back. */
    follow: () =>
      store.subscribe((now, before) => {
        const rested = before.hand.moving && !now.hand.moving;
        const came = now.rig.lights.length > before.rig.lights.length;
        if (rested || came) window.setTimeout(makeRoom);
      }),
    area: (area: Point) => {
      store.setState({ area });
      // Room that was made is made anew in another window; a view that the hand chose stays.
      if (roomFor && store.getState().placed === roomFor) {
        put(null);
        makeRoom();
      }
    },
    /** The whole plate; pressed again, with the margin in which sources live. */
    fit: () => store.setState((s) => ({ placed: null, fit: s.placed === null && s.fit === "close" ? "wide" : "close" })),
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
