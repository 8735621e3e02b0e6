import styled from "styled-components";
import { Button } from "../../ui/Button";
import { Icon } from "../../ui/Icon";
import { useBench, useNow } from "../store/bench";
import { placesOf, type Spot } from "../store/places";
import { isClear, lightNow, placementNow } from "../store/selectors";
import type { State } from "../store/state";
import { toScreen } from "./view";

const Pointer = styled.div`
  position: absolute;
  transform: translate(-50%, -50%);
`;

const INSET = 26;

interface Seen {
  label: string;
  at: Spot;
  left: number;
  top: number;
  turn: number;
}

/** At the edge of the view: where a source went that is out of sight, and the way to see it again. */
export function EdgePointers() {
  const { viewing, kindOf } = useBench();
  // As text, so that a view that moves draws them anew only while there are any.
  const text = useNow((s) => {
    const light = s.handles && isClear(s) && s.hand.tool.is === "handles" ? lightNow(s) : undefined;
    const kind = kindOf(light);
    if (!light?.on || !kind) return "";
    const out = placesOf(light, kind).positions.flatMap(({ setting, at }) => outOfSight(s, setting.label, at));
    return out.length > 0 ? JSON.stringify(out) : "";
  });
  if (!text) return null;
  return (JSON.parse(text) as Seen[]).map(({ label, at, left, top, turn }) => (
    <Pointer key={label} style={{ left, top }} onPointerDown={(event) => event.stopPropagation()}>
      <Button
        aria-label={`${label} is out of sight; show it`}
        hint={`${label} is off screen this way; click to zoom out until you see it`}
        onPress={() => viewing.see(at)}
      >
        <span style={{ display: "inline-flex", transform: `rotate(${turn}rad)` }}>
          <Icon name="point" />
        </span>
      </Button>
    </Pointer>
  ));
}

function outOfSight(s: State, label: string, at: Spot): Seen[] {
  const placement = placementNow(s);
  const { area, plate } = s;
  if (!placement) return [];
  const on = toScreen(placement, plate, at);
  if (on.x >= 0 && on.x <= area.x && on.y >= 0 && on.y <= area.y) return [];
  const dx = on.x - area.x / 2;
  const dy = on.y - area.y / 2;
  const k = Math.min((area.x / 2 - INSET) / Math.max(Math.abs(dx), 1), (area.y / 2 - INSET) / Math.max(Math.abs(dy), 1));
  return [{ label, at, left: Math.round(area.x / 2 + dx * k), top: Math.round(area.y / 2 + dy * k), turn: Math.atan2(dy, dx) }];
}
