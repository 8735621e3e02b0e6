import { useEffect, useState } from "react";
import styled from "styled-components";
import { call, said, type KindInfo, type Light, type Plate, type Rig, type SettingInfo, type StripCell, type StripRequest } from "../api/client";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { PictureChoice } from "../ui/PictureChoice";
import { Select } from "../ui/Select";
import { tone } from "../ui/theme";
import type { Stage } from "./rig";
import { named, notation } from "./units";

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

type Sweep = StripRequest["sweep"];
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

function sweepOf(setting: SettingInfo): Sweep {
  if (setting.unit === "seed") return "seeds";
  return setting.name === "mode" ? "modes" : "setting";
}

function canBeSwept(setting: SettingInfo): boolean {
  return (setting.kind === "number" || setting.kind === "whole") && setting.unit !== "seed";
}

/** The same picture with one setting stepped through its range; picking is one step that can be undone. */
export function StripDialog({ plate, rig, light, kind, swept, onPick, onClose }: Props) {
  const [span, setSpan] = useState(1);
  const [second, setSecond] = useState(NONE);
  const [strip, setStrip] = useState<{ cells: StripCell[]; columns: number } | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);

  const stageOf = swept.stage;
  const settingOf = swept.setting.name;
  const others = kind.groups.flatMap((group) => group.settings.filter((s) => canBeSwept(s) && s !== swept.setting).map((setting) => ({ stage: group.name as Stage, setting })));
  const other = others.find((o) => `${o.stage}.${o.setting.name}` === second);
  const sweep = other ? "grid" : sweepOf(swept.setting);

  useEffect(() => {
    let left = false;
    const paths = sweep === "grid" ? [`${stageOf}.${settingOf}`, second] : sweep === "setting" ? [`${stageOf}.${settingOf}`] : [];
    const places = paths.map((path) => ({ stage: path.split(".")[0], setting: path.split(".")[1] }));
    call("post", "/api/plates/{plate_id}/strip", {
      path: { plate_id: plate.id },
      body: { rig, light: light.id, sweep, places: places as StripRequest["places"], span },
    }).then(
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
  }, [plate.id, rig, light.id, sweep, span, second, stageOf, settingOf]);

  const text = (cell: StripCell) =>
    cell.values
      .map(({ stage, setting, value }) => {
        const info = kind.groups.find((g) => g.name === stage)?.settings.find((s) => s.name === setting);
        if (typeof value === "string" || !info) return named(String(value));
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
                if (sweep === "setting" || sweep === "grid") setSpan(Math.max(NARROWEST, span * NARROWER));
              }}
            />
          ))}
        </Row>
      )}
      <Bar>
        {canBeSwept(swept.setting) && (
          <Select label="Against" value={second} options={[{ value: NONE, text: "Nothing else" }, ...others.map((o) => ({ value: `${o.stage}.${o.setting.name}`, text: o.setting.label }))]} onChange={setSecond} />
        )}
        {(sweep === "setting" || sweep === "grid") && (
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
