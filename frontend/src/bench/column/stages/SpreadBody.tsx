import { Button } from "../../../ui/Button";
import { useBench, useNow } from "../../store/bench";
import { placesOf } from "../../store/places";
import { lightOf } from "../../store/rig";
import type { BodyProps } from "./body";
import { Tools } from "./Tools";

/** The settings, and the finder for lights that come from a place. */
export function SpreadBody({ id, settings }: BodyProps) {
  return (
    <>
      {settings}
      <Finding id={id} />
    </>
  );
}

function Finding({ id }: { id: string }) {
  const { finder, kindOf } = useBench();
  const placed = useNow((s) => {
    const light = lightOf(s.rig, id);
    const kind = kindOf(light);
    if (!light || !kind) return false;
    const { positions, points } = placesOf(light, kind);
    return positions.length > 0 || points;
  });
  if (!placed) return null;
  return (
    <Tools>
      <Button hint="Marks where the light in the picture may come from" onPress={finder.find}>
        Find the light
      </Button>
    </Tools>
  );
}
