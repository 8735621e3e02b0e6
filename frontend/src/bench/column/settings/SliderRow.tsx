import type { SettingOf } from "../../../api/client";
import { NumberField } from "../../../ui/NumberField";
import { Slider } from "../../../ui/Slider";
import { notation } from "../units";
import type { RowProps } from "./registry";
import { StandButton } from "./StandButton";
import { StripButton } from "./StripButton";

/** A number: its value that can be typed, its unit, and under them its slider. */
export function SliderRow({ setting, value, onChange, onRest, onStrip }: RowProps<SettingOf<"number"> | SettingOf<"whole">>) {
  const text = notation(setting);
  const now = value as number;
  return (
    <>
      {setting.type === "number" && setting.handle === "standing" && <StandButton />}
      <StripButton label={setting.label} onStrip={onStrip} />
      <div className="value">
        <NumberField
          label={`${setting.label}, value`}
          value={now}
          low={setting.low}
          high={setting.high}
          step={setting.step}
          shown={text.shown}
          read={text.read}
          onCommit={(next) => {
            onChange(next);
            onRest();
          }}
        />
      </div>
      <span className="unit">{text.unit}</span>
      <div className="slider">
        <Slider
          label={setting.label}
          value={now}
          text={`${text.shown(now)} ${text.unit}`}
          low={setting.low}
          high={setting.high}
          step={setting.step}
          exponent={setting.exponent}
          origin={setting.default as number}
          onChange={onChange}
          onRest={onRest}
        />
      </div>
    </>
  );
}
