import { useState } from "react";
import { RigSheet } from "../../rigs/RigSheet";
import { RunDialog } from "../../runs/RunDialog";
import { useBench, useNow } from "../store/bench";
import type { KeyGroup } from "../keys";
import { lightIdNow } from "../store/selectors";
import { ConflictDialog } from "./ConflictDialog";
import { CopyDialog } from "./CopyDialog";
import { ExportDialog } from "./ExportDialog";
import { KeysDialog } from "./KeysDialog";
import { KindSheet } from "./KindSheet";
import { LeaveDialog } from "./LeaveDialog";
import { LightsDialog } from "./LightsDialog";
import { SketchStrip } from "./SketchStrip";
import { TakesDialog } from "./TakesDialog";
import { TestStrip } from "./TestStrip";

/** Whatever is opened over the bench. */
export function Dialogs({ keys }: { keys: KeyGroup[] }) {
  const { open, lights, frames, now, catalogue } = useBench();
  const dialog = useNow((s) => s.dialog);
  const strip = useNow((s) => s.strip);
  const sketched = useNow((s) => s.hand.tool.is === "sketch");
  const [run, setRun] = useState<number | null>(null);
  const close = () => open(null);
  return (
    <>
      {dialog === "leave" && <LeaveDialog onClose={close} />}
      {dialog === "export" && <ExportDialog onClose={close} />}
      {dialog === "keys" && <KeysDialog groups={keys} onClose={close} />}
      {dialog === "takes" && <TakesDialog onClose={close} />}
      {dialog === "kinds" && <KindSheet changes={null} onClose={close} />}
      {dialog === "change-kind" && <KindSheet changes={lightIdNow(now())} onClose={close} />}
      {dialog === "lights" && <LightsDialog onClose={close} />}
      {dialog === "copy" && <CopyDialog onClose={close} />}
      {dialog === "rigs" && (
        <RigSheet
          plate={now().plate}
          rig={now().rig}
          longest={catalogue.limits.name_length}
          onApply={(saved, some) => {
            close();
            // A whole rig takes the place of all that was there.
            const known = some ? now().rig.lights.map((light) => light.id) : [];
            lights.apply(saved, some, () => void frames.settle(known));
          }}
          onApplyTo={(saved) => {
            close();
            setRun(saved.id);
          }}
          onClose={close}
        />
      )}
      {run !== null && (
        <RunDialog info={catalogue.export} plates={[now().plate.id]} rig={{ saved: run }} files={false} onClose={() => setRun(null)} />
      )}
      {strip && <TestStrip strip={strip} />}
      {sketched && <SketchStrip />}
      <ConflictDialog />
    </>
  );
}
