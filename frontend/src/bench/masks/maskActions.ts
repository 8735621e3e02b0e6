import type { Mask, MaskPart, SettingInfo } from "../../api/client";

/** What can be done with a mask. */
export interface MaskActions {
  onStart: (start: Mask["start"]) => void;
  onInvert: () => void;
  /** Others that this mask can be given to. */
  copies: { id: string; text: string; act: () => void }[];
  onPart: (part: number, name: string, value: unknown) => void;
  onPartRest: (label: string) => void;
  onPartReset: (part: number, setting: SettingInfo) => void;
  onParts: (make: (parts: MaskPart[]) => MaskPart[], label: string) => void;
  onNewMatte: () => void;
}
