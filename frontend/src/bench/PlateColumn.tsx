import styled from "styled-components";
import type { Catalogue, Facts, Matte, Plate, Rig } from "../api/client";
import { Button, Toggle } from "../ui/Button";
import { GroupColumn } from "./GroupColumn";
import { Histograms } from "./Histograms";
import { MatteList } from "./masks/MatteList";
import { valuesAt, withValues } from "./rig";
import type { Tool } from "./tools";
import type { Editing } from "./useEditing";

const Tools = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 12px;
`;

interface Props {
  plate: Plate;
  rig: Rig;
  catalogue: Catalogue;
  facts: Facts | null;
  editing: Editing;
  tool: Tool | null;
  onTool: (tool: Tool | null) => void;
  onNewMatte: (part: string) => void;
  onMatte: (matte: Matte) => void;
  onRemoveMatte: (matte: Matte) => void;
}

/** The plate in the column: how it is prepared, what of it is seen, and its mattes. */
export function PlateColumn({ plate, rig, catalogue, facts, editing, tool, onTool, onNewMatte, onMatte, onRemoveMatte }: Props) {
  return (
    <GroupColumn
      plate={plate}
      title="Plate"
      group={catalogue.plate}
      values={valuesAt(rig, "prepare")}
      onChange={(name, value) => editing.setting("prepare", name, value)}
      onRest={editing.rest}
      onReset={(s) => editing.reset("prepare", s)}
      onResetAll={() => editing.resetAll("prepare", catalogue.plate, { crop: null })}
      above={<Histograms facts={facts} />}
      below={
        <>
          <Tools>
            <Toggle
              hint="Drag the edges; lights stay where they are on the picture"
              isSelected={tool === "crop"}
              onChange={(now) => onTool(now ? "crop" : null)}
            >
              Crop
            </Toggle>
            <Toggle
              hint="Draw along something that should be level or upright"
              isSelected={tool === "horizon"}
              onChange={(now) => onTool(now ? "horizon" : null)}
            >
              Draw the horizon
            </Toggle>
            <Button
              isDisabled={!rig.prepare.crop}
              hint="Shows the whole picture again"
              onPress={() => editing.edit(withValues(rig, "prepare", { crop: null }), "Remove the crop")}
            >
              Remove the crop
            </Button>
          </Tools>
          <MatteList rig={rig} parts={catalogue.parts} onNew={onNewMatte} onSelect={onMatte} onRemove={onRemoveMatte} />
        </>
      }
    />
  );
}
