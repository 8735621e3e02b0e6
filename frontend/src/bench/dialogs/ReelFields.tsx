import type { ReactNode } from "react";
import type { ExportInfo, ReelExport } from "../../api/client";
import { FormatFields } from "./FormatFields";
import { SettingGroup } from "../column/settings/SettingGroup";
import type { Size } from "../column/units";

interface Props {
  info: ExportInfo;
  plate: Size;
  choice: ReelExport;
  onChoice: (choice: ReelExport) => void;
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
        values={{ ...choice }}
        onChange={(name, value) => onChoice({ ...choice, [name]: value })}
        onRest={() => undefined}
        onReset={(s) => onChoice({ ...choice, [s.name]: s.default })}
      />
    </>
  );
}
