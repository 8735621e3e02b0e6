import { notation } from "../../column/units";
import type { NumberHandle } from "./index";
import { Ring } from "./Ring";
import { within } from "./within";
import type { Spot } from "../../store/places";

/** A length as a ring about the place that it goes round. */
export const handle: NumberHandle = ({ setting, value, values, onChange, onRest, ...rest }) => {
  const now = value as number;
  const { shown, unit } = notation(setting);
  const set = (next: number) => onChange(within(setting, next));
  return (
    <Ring
      {...rest}
      label={setting.label}
      text={`${shown(now)} ${unit}`}
      centre={values[setting.about] as Spot}
      radius={now}
      onRadius={set}
      onStep={(steps) => set(now + steps * setting.step)}
      onRest={() => onRest()}
    />
  );
};
