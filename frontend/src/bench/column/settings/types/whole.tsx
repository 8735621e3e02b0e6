import { settingView } from "../registry";
import { SliderRow } from "../SliderRow";

/** A whole number on a slider. */
export const view = settingView("whole", { Row: SliderRow });
