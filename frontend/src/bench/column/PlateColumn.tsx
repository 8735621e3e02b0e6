import styled from "styled-components";
import { Button, Toggle } from "../../ui/Button";
import { useBench, useNow } from "../store/bench";
import { HANDLES, type Tool } from "../store/hand";
import { withoutKeys } from "../store/keys";
import { withValues } from "../store/rig";
import { InputSpaceRow } from "./ColourRows";
import { DistanceSection } from "./DistanceSection";
import { GroupColumn } from "./GroupColumn";
import { Histograms } from "./Histograms";
import { ReelNumbers } from "./ReelNumbers";
import { KeyButton } from "./settings/KeyButton";
import { FinishSection } from "./FinishSection";
import { MatteList } from "./masks/MatteList";
import { ViewRows } from "./ViewRows";

const Tools = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 12px;
`;

/** The plate in the column: how it is prepared, what of it is seen, and its mattes. */
export function PlateColumn() {
  const { editing, catalogue, frames, take, now } = useBench();
  const crop = catalogue.plate.settings.find((setting) => setting.type === "crop");
  const reel = useNow((s) => s.plate.frames > 1);
  const tool = useNow((s) => s.hand.tool.is);
  const cropped = useNow((s) => s.rig.prepare.crop !== null);
  const turn = (wanted: Tool) => (on: boolean) => take(on ? wanted : HANDLES);
  return (
    <GroupColumn
      title="Plate"
      place="prepare"
      group={catalogue.plate}
      onResetAll={() => editing.resetAll("prepare", catalogue.plate, { crop: null })}
      above={<Histograms />}
      below={
        <>
          <Tools>
            <Toggle
              hint="Drag the edges; lights stay where they are on the picture"
              isSelected={tool === "crop"}
              onChange={turn({ is: "crop" })}
            >
              Crop
            </Toggle>
            <Toggle
              hint="Draw along something that should be level or upright"
              isSelected={tool === "horizon"}
              onChange={turn({ is: "horizon" })}
            >
              Draw the horizon
            </Toggle>
            <Button
              isDisabled={!cropped}
              hint="Shows the whole picture again"
              onPress={() =>
                editing.edit(withoutKeys(withValues(now().rig, "prepare", { crop: null }), "prepare", "crop"), "Remove the crop")
              }
            >
              Remove the crop
            </Button>
            {reel && cropped && crop && (
              <>
                <Button hint="The crop goes with what is under its middle, over all frames" onPress={() => void frames.followCrop()}>
                  Follow with the crop
                </Button>
                <KeyButton place="prepare" setting={crop} />
              </>
            )}
          </Tools>
          <InputSpaceRow />
          {!reel && <DistanceSection />}
          <MatteList />
          {reel && <ReelNumbers />}
          <FinishSection />
          <ViewRows />
        </>
      }
    />
  );
}
