import type { Spot } from "../../store/places";
import { notation } from "../../column/units";
import { diagonal } from "../view";
import type { NumberHandle } from "./index";
import { Ring } from "./Ring";
import { within } from "./within";

/** Half the angle of a cone, as the ring that it makes where it points: about `about`, opening from `apex`, which lies
 * as far above the picture as `above` says. */
export const handle: NumberHandle = ({ setting, value, values, turn, plate, onChange, onRest, ...rest }) => {
  const now = value as number;
  const aim = values[setting.about] as Spot;
  const from = values[setting.apex] as Spot;
  const across = ((aim[0] - from[0]) * plate.width) / diagonal(plate);
  const down = ((aim[1] - from[1]) * plate.height) / diagonal(plate);
  const far = Math.hypot(across, down, values[setting.above] as number);
  const { shown, unit } = notation(setting);
  const set = (next: number) => onChange(within(setting, next));
  return (
    <Ring
      {...rest}
      plate={plate}
      label={setting.label}
      text={`${shown(now)} ${unit}`}
      centre={aim}
      radius={far * Math.tan((now * Math.PI) / 180)}
      turn={turn + 2}
      onRadius={(radius) => set((Math.atan(radius / far) * 180) / Math.PI)}
      onStep={(steps) => set(now + steps * setting.step)}
      onRest={() => onRest()}
    />
  );
};
