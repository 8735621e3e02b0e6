import styled from "styled-components";
import type { Plate } from "../api/client";
import { Button } from "../ui/Button";
import { Icon } from "../ui/Icon";
import { toScreen, type Placement, type Point } from "./view";

const Spot = styled.div`
  position: absolute;
  transform: translate(-50%, -50%);
`;

const INSET = 26;

interface Props {
  label: string;
  plate: Plate;
  area: Point;
  placement: Placement;
  position: [number, number];
  onShow: () => void;
}

/** At the edge of the view: where a source went that is out of sight, and the way to see it again. */
export function EdgePointer({ label, plate, area, placement, position, onShow }: Props) {
  const at = toScreen(placement, plate, position);
  if (at.x >= 0 && at.x <= area.x && at.y >= 0 && at.y <= area.y) return null;
  const dx = at.x - area.x / 2;
  const dy = at.y - area.y / 2;
  const k = Math.min((area.x / 2 - INSET) / Math.max(Math.abs(dx), 1), (area.y / 2 - INSET) / Math.max(Math.abs(dy), 1));
  return (
    <Spot style={{ left: area.x / 2 + dx * k, top: area.y / 2 + dy * k }} onPointerDown={(event) => event.stopPropagation()}>
      <Button
        aria-label={`${label} is out of sight; show it`}
        hint={`${label} is off screen this way; click to zoom out until you see it`}
        onPress={onShow}
      >
        <span style={{ display: "inline-flex", transform: `rotate(${Math.atan2(dy, dx)}rad)` }}>
          <Icon name="point" />
        </span>
      </Button>
    </Spot>
  );
}
