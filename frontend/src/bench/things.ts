import { createContext, useContext } from "react";

/** What settings can refer to on this bench: the rig's mattes, and pictures that are kept with the plate. */
export interface Things {
  mattes: { id: string; name: string }[];
  files: Record<string, string>;
  /** Keeps a picture with the plate; its name for settings, or null where it was refused. */
  bring: (file: File, anyShape: boolean) => Promise<string | null>;
}

export const ThingsContext = createContext<Things>({ mattes: [], files: {}, bring: () => Promise.resolve(null) });

export function useThings(): Things {
  return useContext(ThingsContext);
}
