import { Button } from "../../../../ui/Button";
import { NumberField } from "../../../../ui/NumberField";
import type { Spot } from "../../../store/places";
import { PLACE } from "../../units";
import { Position } from "../../../picture/handles/Position";
import { settingView } from "../registry";

/** A place: dragged on the picture, typed in per cent, brought back into view. */
export const view = settingView("place", {
  follows: true,
  Row: ({ setting, value, onChange, onRest, onBringIntoView }) => {
    const at = value as Spot;
    return (
      <div className="pair">
        {([0, 1] as const).map((axis) => (
          <div key={axis} className="value">
            <NumberField
              label={`${setting.label}, ${axis === 0 ? "across" : "down"} in per cent`}
              value={at[axis]}
              low={setting.low}
              high={setting.high}
              step={setting.step}
              shown={PLACE.shown}
              read={PLACE.read}
              onCommit={(v) => {
                onChange(axis === 0 ? [v, at[1]] : [at[0], v]);
                onRest();
              }}
            />
          </div>
        ))}
        <Button weight="bare" hint="Zooms out until it is in view" onPress={() => onBringIntoView?.(at)}>
          See
        </Button>
      </div>
    );
  },
  Handle: Position,
});
