import type { SettingOf } from "../../../api/client";
import { useHandle } from "../../../ui/useHandle";
import type { Spot } from "../../places";
import { toPlate, toScreen } from "../../view";
import type { HandleProps } from "../registry";
import { within } from "./within";

/** A cross that is dragged to where something is. */
export function Position({ plate, placement, setting, value, onChange, onRest, onReset }: HandleProps<SettingOf<"place">>) {
  const place = value as Spot;
  const at = toScreen(placement, plate, place);
  const set = (to: Spot) => onChange([within(setting, to[0]), within(setting, to[1])]);
  const handle = useHandle({
    at,
    onMove: (to) => set(toPlate(placement, plate, to)),
    onStep: (across, down) => set([place[0] + across * setting.step, place[1] + down * setting.step]),
    onRest: () => onRest(),
  });
  return (
    <g
      role="slider"
      tabIndex={0}
      aria-label={setting.label}
      aria-valuenow={Math.round(place[0] * 100)}
      aria-valuetext={`${(place[0] * 100).toFixed(1)} % across, ${(place[1] * 100).toFixed(1)} % down`}
      transform={`translate(${at.x} ${at.y})`}
      onDoubleClick={onReset}
      {...handle}
    >
      <circle className="grip" r={18} />
      {["halo", "line"].map((c) => (
        <path key={c} className={c} d="M0-15V-5M0 5V15M-15 0H-5M5 0H15M-5 0A5 5 0 0 1 5 0A5 5 0 0 1-5 0" />
      ))}
    </g>
  );
}
