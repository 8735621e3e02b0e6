import { Button } from "../../../../ui/Button";
import { isEmpty, ListRow } from "../ListRow";
import { settingView } from "../registry";

/** Points of light: placed ones are added, all of a list can be cleared; each is dragged on the picture. */
export const view = settingView("places", {
  adding: ({ light, middle }) => middle && { do: "point", light, act: "add", place: middle, found: false, on: true },
  alone: (light) => ({ do: "only-placed-points", light }),
  Row: ({ setting, value, onChange, onRest, onAdd, onAlone }) => (
    <ListRow value={value}>
      {setting.adds && !setting.over_frames && (
        <Button hint="Places a point in the middle of the view; drag it where it belongs" onPress={() => onAdd?.()}>
          Add a point
        </Button>
      )}
      {setting.adds && !setting.over_frames && (
        <Button
          weight="bare"
          isDisabled={isEmpty(value)}
          hint="Takes no points from the picture; those placed by hand stay"
          onPress={() => onAlone?.()}
        >
          None but these
        </Button>
      )}
      {!setting.over_frames && (
        <Button
          weight="bare"
          isDisabled={isEmpty(value)}
          onPress={() => {
            onChange([]);
            onRest();
          }}
        >
          Clear
        </Button>
      )}
    </ListRow>
  ),
});
