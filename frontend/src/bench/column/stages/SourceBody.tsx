import type { KindInfo } from "../../../api/client";
import { Select } from "../../../ui/Select";
import { useBench, useNow } from "../../store/bench";
import { lightOf } from "../../store/rig";
import { BrushSettings } from "../masks/BrushSettings";
import type { BodyProps } from "./body";

/** Which picture the light looks at, the brush while light is painted, and the settings. */
export function SourceBody({ id, kind, settings }: BodyProps) {
  return (
    <>
      <LooksAt id={id} kind={kind} />
      <LightBrush />
      {settings}
    </>
  );
}

function LooksAt({ id, kind }: { id: string; kind: KindInfo }) {
  const { lights } = useBench();
  const at = useNow((s) => lightOf(s.rig, id)?.look_at);
  if (kind.look_at.length === 0 || !at) return null;
  return (
    <Select label="Looks at" value={at} options={kind.look_at} onChange={(value) => lights.look(id, value as NonNullable<typeof at>)} />
  );
}

function LightBrush() {
  const painting = useNow((s) => s.hand.tool.is === "light");
  return painting && <BrushSettings />;
}
