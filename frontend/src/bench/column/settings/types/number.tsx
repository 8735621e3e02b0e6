import { handleFor } from "../../../picture/handles";
import { settingView } from "../registry";
import { SliderRow } from "../SliderRow";

/** A number on a slider; where it has a handle, it moves by it on the picture too. */
export const view = settingView("number", { Row: SliderRow, Handle: handleFor, under: true });
