import type { ReactNode } from "react";
import type { ExportInfo } from "../../api/client";
import { FormatFields } from "./FormatFields";
import { SettingGroup } from "../column/settings/SettingGroup";
import type { Size } from "../column/units";
import { defaultsOf } from "../store/rig";

/** How a reel is written. */
export type ReelChoice = Record<string, unknown> & { format: string; depth: string };

/** The first format as it comes. */
export function reelChoice(info: ExportInfo): ReelChoice {
  const first = info.reels[0];
  return { ...defaultsOf(info.reels_group), format: first?.name ?? "", depth: first?.depths[0]?.value ?? "" };
}

interface Props {
  info: ExportInfo;
  plate: Size;
  choice: ReelChoice;
  onChoice: (choice: ReelChoice) => void;
  /** What is said of the size, beside format and depth. */
  children: ReactNode;
}

/** Format, depth and settings of a file of moving pictures. */
export function ReelFields({ info, plate, choice, onChoice, children }: Props) {
  const format = info.reels.find((f) => f.name === choice.format) ?? info.reels[0];
  const settings = info.reels_group.settings.filter((s) => s.name !== "quality" || format?.has_quality);
  return (
    <>
      <FormatFields formats={info.reels} chosen={choice} onChosen={(chosen) => onChoice({ ...choice, ...chosen })}>
        {children}
      </FormatFields>
      <SettingGroup
        plate={plate}
        group={{ ...info.reels_group, settings }}
        values={choice}
        onChange={(name, value) => onChoice({ ...choice, [name]: value })}
        onRest={() => undefined}
        onReset={(s) => onChoice({ ...choice, [s.name]: s.default })}
      />
    </>
  );
}
