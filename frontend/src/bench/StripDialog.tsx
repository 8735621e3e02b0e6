import { useEffect, useState } from "react";
import styled from "styled-components";
import {
  api,
  said,
  type KindInfo,
  type Light,
  type Plate,
  type Rig,
  type SettingInfo,
  type StripCell,
  type SweptSetting,
} from "../api/client";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { PictureChoice } from "../ui/PictureChoice";
import { Select } from "../ui/Select";
import { tone } from "../ui/theme";
import type { Stage } from "./rig";
import { notation } from "./units";

const Row = styled.div<{ $columns: number }>`
  display: grid;
  grid-template-columns: ${(p) => `repeat(${p.$columns}, minmax(0, 1fr))`};
  gap: 4px;
`;

const Note = styled.p`
  color: ${tone.faint};
`;

const Bar = styled.div`
  display: flex;
  gap: 8px;
  align-items: end;
`;

export interface Swept {
  stage: Stage;
  setting: SettingInfo;
}

interface Props {
  plate: Plate;
  rig: Rig;
  light: Light;
  kind: KindInfo;
  swept: Swept;
  onPick: (values: StripCell["values"]) => void;
  onClose: () => void;
}

const MOST_COLUMNS = 7;
const NARROWER = 0.5;
const NARROWEST = 0.1;
const NONE = "none";

function hasRange(setting: SettingInfo): boolean {
  return setting.swept === "range";
}

/** The same picture with one setting stepped through its range; picking is one step that can be undone. */
export function StripDialog({ plate, rig, light, kind, swept, onPick, onClose }: Props) {
  const [span, setSpan] = useState(1);
  const [second, setSecond] = useState(NONE);
  const [strip, setStrip] = useState<{ cells: StripCell[]; columns: number } | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);

  const first = swept.stage as SweptSetting["stage"];
  const settingOf = swept.setting.name;
  const others = kind.groups.flatMap((group) =>
    group.settings
      .filter((s) => hasRange(s) && s !== swept.setting)
      .map((setting) => ({ stage: group.name as SweptSetting["stage"], setting })),
  );
  const other = others.find((o) => `${o.stage}.${o.setting.name}` === second);
  const otherStage = other?.stage;
  const otherSetting = other?.setting.name;

  useEffect(() => {
    let left = false;
    const settings: SweptSetting[] = [{ stage: first, setting: settingOf }];
    if (otherStage && otherSetting) settings.push({ stage: otherStage, setting: otherSetting });
    api
      .POST("/api/plates/{plate_id}/strip", { params: { path: { plate_id: plate.id } }, body: { rig, light: light.id, settings, span } })
      .then(
        ({ data, error }) => {
          if (left) return;
          if (data) setStrip(data);
          else setWrong(said(error));
        },
        () => !left && setWrong("The service does not answer; try again."),
      );
    return () => {
      left = true;
    };
    // A pick changes the rig, and the strip is made again round it.
  }, [plate.id, rig, light.id, span, first, settingOf, otherStage, otherSetting]);

  const text = (cell: StripCell) =>
    cell.values
      .map(({ stage, setting, value }) => {
        const info = kind.groups.find((g) => g.name === stage)?.settings.find((s) => s.name === setting);
        if (info?.type === "choice") return info.options.find((o) => o.value === value)?.text ?? String(value);
        if (typeof value === "string" || !info || !("unit" in info)) return String(value);
        const how = notation(info);
        return cell.values.length > 1 ? `${info.label} ${how.shown(value)}` : `${how.shown(value)} ${how.unit}`;
      })
      .join(", ");

  return (
    <Dialog title={`${light.name}: ${swept.setting.label}`} wide open onClose={onClose}>
      {wrong && <Note role="alert">{wrong}</Note>}
      {!strip && !wrong && <Note role="status">Rendering the strip…</Note>}
      {strip && (
        <Row $columns={Math.min(strip.columns, MOST_COLUMNS)} role="group" aria-label="Test strip">
          {strip.cells.map((cell, index) => (
            <PictureChoice
              key={index}
              title={text(cell)}
              picture={cell.picture}
              present={cell.present}
              onPick={() => {
                onPick(cell.values);
                if (hasRange(swept.setting)) setSpan(Math.max(NARROWEST, span * NARROWER));
              }}
            />
          ))}
        </Row>
      )}
      <Bar>
        {hasRange(swept.setting) && (
          <Select
            label="Second setting"
            value={second}
            options={[
              { value: NONE, text: "None" },
              ...others.map((o) => ({ value: `${o.stage}.${o.setting.name}`, text: o.setting.label })),
            ]}
            onChange={setSecond}
          />
        )}
        {hasRange(swept.setting) && (
          <Button isDisabled={span === 1} onPress={() => setSpan(1)}>
            Whole range
          </Button>
        )}
        <span style={{ flex: 1 }} />
        <Button weight="strong" onPress={onClose}>
          Done
        </Button>
      </Bar>
    </Dialog>
  );
}
