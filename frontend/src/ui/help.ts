import { createContext, useContext } from "react";
import { useNotices } from "./Notices";

/** A place of its own where help is shown, so that it covers nothing. */
export interface HelpPlace {
  /** Says what is under the pointer or has the keyboard; null when that is left. */
  help: (text: string | null) => void;
  /** Says something of what has just been done. */
  remark: (text: string) => void;
}

/** Where there is none, help shows beside the thing. */
export const HelpContext = createContext<HelpPlace | null>(null);

export function useHelp(): HelpPlace | null {
  return useContext(HelpContext);
}

/** Says something of what has just been done: in the place for help, or as a notice. */
export function useRemark(): (text: string) => void {
  const place = useContext(HelpContext);
  const { say } = useNotices();
  return place?.remark ?? say;
}
