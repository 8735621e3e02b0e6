import { settingView } from "../registry";

/** What of the picture is seen: set with a tool of the plate's own, and drawn over the picture. */
export const view = settingView("crop", { Row: () => null, quiet: true });
