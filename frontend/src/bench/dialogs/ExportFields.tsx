import type { ReactNode } from "react";
import type { ExportInfo, FormatInfo, SettingInfo } from "../../api/client";
import { Check } from "../../ui/Check";
import { FormatFields } from "./FormatFields";
import { SettingGroup } from "../column/settings/SettingGroup";
import { firstChoice, waysOf, type ExportChoice } from "../store/exporting";
import type { Size } from "../column/units";
import { Note } from "../../ui/words";

/** The format that is chosen. */
export function formatOf(info: ExportInfo, choice: ExportChoice): FormatInfo | undefined {
  const { formats } = waysOf(info, choice.passes);
  return formats.find((f) => f.name === choice.format) ?? formats[0];
}

interface Props {
  info: ExportInfo;
  /** The plate's size, or that of the first of several. */
  plate: Size;
  choice: ExportChoice;
  onChoice: (choice: ExportChoice) => void;
  /** What is said of the size, beside format and depth. */
  children: ReactNode;
}

/** What files are made: passes or one picture, format, depth, and the settings of the file. */
export function ExportFields({ info, plate, choice, onChoice, children }: Props) {
  const { formats, group } = waysOf(info, choice.passes);
  const format = formatOf(info, choice);
  const noNotes = format?.without_exif.includes(choice.depth) ?? false;
  const notes = group.settings.find((s) => s.name === "metadata");
  const shown = (s: SettingInfo) =>
    (s.name !== "quality" || format?.has_quality) && (s.name !== "with_rig" || format?.carries_rig) && !(s.name === "metadata" && noNotes);
  return (
    <>
      <Check
        label="Passes: every light as a layer of its own"
        isSelected={choice.passes}
        onChange={(passes) => onChoice(firstChoice(info, passes))}
      />
      {choice.passes && (
        <Note role="note">
          With the picture under them and the result beside them. In OpenEXR the parts are added up; in the others each layer lies over
          those below it.
        </Note>
      )}
      <FormatFields formats={formats} chosen={choice} onChosen={(chosen) => onChoice({ ...choice, ...chosen })}>
        {children}
      </FormatFields>
      <SettingGroup
        plate={plate}
        group={{ ...group, settings: group.settings.filter(shown) }}
        values={choice}
        onChange={(name, value) => onChoice({ ...choice, [name]: value })}
        onRest={() => undefined}
        onReset={(s) => onChoice({ ...choice, [s.name]: s.default })}
      />
      {noNotes && <Note role="note">This kind of file does not carry the camera's notes (EXIF).</Note>}
      {!noNotes && notes && <Note role="note">{notes.help}.</Note>}
    </>
  );
}
