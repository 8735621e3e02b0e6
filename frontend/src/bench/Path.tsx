import { useMemo, useState, type ReactNode } from "react";
import styled from "styled-components";
import type { Facts, GroupInfo, KindInfo, Light, Plate, SettingInfo, SettingOf } from "../api/client";
import { Button } from "../ui/Button";
import { Icon } from "../ui/Icon";
import { Select } from "../ui/Select";
import { tone } from "../ui/theme";
import { Levels } from "./Levels";
import { stages, type Stage } from "./rig";
import { SettingGroup } from "./settings/SettingGroup";
import { meanColour, StagePicture } from "./StagePicture";
import type { Shown } from "./usePreview";

const Column = styled.div`
  padding: 12px 12px 24px;
  overflow-y: auto;
  overflow-x: hidden;
  height: 100%;
  > header {
    display: grid;
    gap: 2px;
    margin-bottom: 10px;
  }
  > header h2 {
    font-size: 15px;
    color: ${tone.strong};
  }
  > header p {
    color: ${tone.faint};
  }
`;

const Step = styled.section<{ $thread: string; $last: boolean }>`
  position: relative;
  padding: 0 0 14px 14px;
  &::before {
    content: "";
    position: absolute;
    left: 2px;
    top: 8px;
    bottom: ${(p) => (p.$last ? "auto" : "-8px")};
    height: ${(p) => (p.$last ? "0" : "auto")};
    width: 2px;
    background: ${(p) => p.$thread};
  }
  &::after {
    content: "";
    position: absolute;
    left: 0;
    top: 5px;
    width: 6px;
    height: 6px;
    border-radius: 1px;
    transform: rotate(45deg);
    background: ${(p) => p.$thread};
  }
`;

const Head = styled.div`
  display: grid;
  grid-template-columns: 92px 1fr auto;
  gap: 10px;
  align-items: start;
  margin-bottom: 4px;
  h3 {
    font-size: 13px;
    font-weight: 600;
    color: ${tone.strong};
  }
  p {
    color: ${tone.faint};
    font-size: 12px;
    line-height: 1.25;
  }
  .tools {
    display: flex;
  }
`;

const Tools = styled.div`
  display: flex;
  gap: 6px;
  margin: 6px 0 2px;
`;

interface Props {
  plate: Plate;
  light: Light;
  kind: KindInfo;
  pictures: Record<string, Shown>;
  large: Stage | null;
  onLarge: (stage: Stage | null) => void;
  onChange: (stage: Stage, name: string, value: unknown) => void;
  onRest: (label: string) => void;
  onReset: (stage: Stage, setting: SettingInfo) => void;
  onResetStage: (stage: Stage, group: GroupInfo) => void;
  onLookAt: (value: Light["look_at"]) => void;
  onBringIntoView: (position: [number, number]) => void;
  facts: Facts | null;
  onStrip: (stage: Stage, setting: SettingInfo) => void;
  /** Sets temperature and tint to the picture's, at the source or at a spot to be picked. */
  onMatch: (where: "source" | "spot") => void;
  onAdd: (stage: Stage, setting: SettingInfo) => void;
  onPaint: () => void;
  /** The strongest light that the histogram of a light shows. */
  reach: number;
  /** Proposes where the light may come from; for lights that come from a place. */
  onFind: (() => void) | undefined;
  maskPanel: ReactNode;
  /** The brush, while light is being painted. */
  brushPanel: ReactNode;
  numbers: ReactNode;
}

const FOLDED = "aurelon.folded-stages";

function remembered(): string[] {
  try {
    return JSON.parse(window.localStorage.getItem(FOLDED) ?? "[]") as string[];
  } catch {
    return [];
  }
}

/** The five stages of the selected light, each with its live picture, joined by a thread of its colour. */
export function Path({
  plate,
  light,
  kind,
  pictures,
  large,
  onLarge,
  onChange,
  onRest,
  onReset,
  onResetStage,
  onLookAt,
  onBringIntoView,
  facts,
  onStrip,
  onMatch,
  onAdd,
  onPaint,
  reach,
  onFind,
  maskPanel,
  brushPanel,
  numbers,
}: Props) {
  const [folded, setFolded] = useState(remembered);
  const thread = useMemo(() => meanColour(pictures.colour), [pictures.colour]);
  const fold = (stage: Stage) => {
    const next = folded.includes(stage) ? folded.filter((s) => s !== stage) : [...folded, stage];
    setFolded(next);
    window.localStorage.setItem(FOLDED, JSON.stringify(next));
  };
  return (
    <Column aria-label={`The path of ${light.name}`} role="region">
      <header>
        <h2>{light.name || kind.title}</h2>
        <p>{kind.summary}</p>
      </header>
      {stages.map((stage, index) => {
        const group = kind.groups[index];
        if (!group) return null;
        const open = !folded.includes(stage);
        return (
          <Step key={stage} $thread={thread} $last={index === stages.length - 1} aria-label={group.label}>
            <Head>
              <StagePicture
                label={group.label}
                plate={plate}
                shown={pictures[stage]}
                selected={large === stage}
                onToggle={() => onLarge(large === stage ? null : stage)}
              />
              <div>
                <h3>{group.label}</h3>
                <p>{group.help}</p>
              </div>
              <div className="tools">
                <Button
                  weight="bare"
                  aria-label={`Reset ${group.label}`}
                  hint={`Resets all of ${group.label}`}
                  onPress={() => onResetStage(stage, group)}
                >
                  Reset
                </Button>
                <Button
                  weight="bare"
                  aria-label={`${open ? "Fold" : "Unfold"} ${group.label}`}
                  aria-expanded={open}
                  onPress={() => fold(stage)}
                >
                  <Icon name={open ? "open" : "shut"} />
                </Button>
              </div>
            </Head>
            {open && stage === "source" && kind.look_at.length > 0 && (
              <Select
                label="Looks at"
                value={light.look_at}
                options={kind.look_at}
                onChange={(value) => onLookAt(value as Light["look_at"])}
              />
            )}
            {open && stage === "mask" && maskPanel}
            {open && stage === "source" && brushPanel}
            {open && stage !== "mask" && (
              <SettingGroup
                plate={plate}
                group={group}
                values={light[stage]}
                onChange={(name, value) => onChange(stage, name, value)}
                onRest={onRest}
                onReset={(setting) => onReset(stage, setting)}
                onBringIntoView={onBringIntoView}
                onStrip={(setting) => onStrip(stage, setting)}
                onAdd={(setting) => onAdd(stage, setting)}
                onPaint={onPaint}
              />
            )}
            {open && stage === "spread" && onFind && (
              <Tools>
                <Button hint="Marks where the light in the picture may come from" onPress={onFind}>
                  Find the light
                </Button>
              </Tools>
            )}
            {open && stage === "colour" && (
              <>
                <Levels
                  shares={facts?.of_light?.shares ?? []}
                  reach={reach}
                  settings={group.settings.filter((s): s is SettingOf<"number"> => s.type === "number" && s.handle === "levels")}
                  values={light.colour}
                  onChange={(name, value) => onChange(stage, name, value)}
                  onRest={onRest}
                  onReset={(setting) => onReset(stage, setting)}
                />
                <Tools>
                  <Button hint="Matches the light's temperature and tint to the picture at its source" onPress={() => onMatch("source")}>
                    Match the picture
                  </Button>
                  <Button weight="bare" hint="Then click the picture where the colour should be matched" onPress={() => onMatch("spot")}>
                    at a spot…
                  </Button>
                </Tools>
              </>
            )}
          </Step>
        );
      })}
      {numbers}
    </Column>
  );
}
