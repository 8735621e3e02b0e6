import type { ReactNode } from "react";
import type { AnyExport, ExportInfo, FormatInfo, SettingInfo } from "../../api/client";
import { Check } from "../../ui/Check";
import { FormatFields } from "./FormatFields";
import { SettingGroup } from "../column/settings/SettingGroup";
import { targetOf } from "../store/exporting";
import type { Size } from "../column/units";
import { Note } from "../../ui/words";

/** The format that is chosen. */
export function formatOf(info: ExportInfo, choice: AnyExport): FormatInfo | undefined {
  const { formats } = targetOf(info, choice.target);
  return formats.find((f) => f.name === choice.format) ?? formats[0];
}

interface Props {
  info: ExportInfo;
  /** The plate's size, or that of the first of several. */
  plate: Size;
  choice: AnyExport;
  onChoice: (choice: AnyExport) => void;
  /** What is said of the size, beside format and depth. */
  children: ReactNode;
}

/** What files are made: the target, format, depth, and the settings of the file. */
export function ExportFields({ info, plate, choice, onChoice, children }: Props) {
  const { formats, group, note } = targetOf(info, choice.target);
  const format = formatOf(info, choice);
  const noNotes = format?.without_exif.includes(choice.depth) ?? false;
  const notes = group.settings.find((s) => s.name === "metadata");
  const shown = (s: SettingInfo) =>
    (s.name !== "quality" || format?.has_quality) && (s.name !== "with_rig" || format?.carries_rig) && !(s.name === "metadata" && noNotes);
  return (
    <>
      {info.targets.slice(1).map(({ name, title }) => (
        <Check
          key={name}
          label={title}
          isSelected={choice.target === name}
          onChange={(on) => onChoice(targetOf(info, on ? name : undefined).first)}
        />
      ))}
      {note && <Note role="note">{note}</Note>}
      <FormatFields formats={formats} chosen={choice} onChosen={(chosen) => onChoice({ ...choice, ...chosen })}>
        {children}
      </FormatFields>
      <SettingGroup
        plate={plate}
        group={{ ...group, settings: group.settings.filter(shown) }}
        values={{ ...choice }}
        onChange={(name, value) => onChoice({ ...choice, [name]: value })}
        onRest={() => undefined}
        onReset={(s) => onChoice({ ...choice, [s.name]: s.default })}
      />
      {noNotes && <Note role="note">This kind of file does not carry the camera's notes (EXIF).</Note>}
      {!noNotes && notes && <Note role="note">{notes.help}.</Note>}
    </>
  );
}
