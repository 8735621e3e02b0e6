import type { SettingOf } from "../../../api/client";
import { useHandle } from "../../../ui/useHandle";
import type { HandleProps } from "../../column/settings/registry";
import type { Spot } from "../../store/places";
import { toPlate, toScreen } from "../view";
import { within } from "./within";

type PlaceInfo = SettingOf<"place">;

const marks: Record<PlaceInfo["mark"], string> = {
  cross: "M0-15V-5M0 5V15M-15 0H-5M5 0H15M-5 0A5 5 0 0 1 5 0A5 5 0 0 1-5 0",
  ring: "M-9 0A9 9 0 0 1 9 0A9 9 0 0 1-9 0M0-13V-9M0 9V13M-13 0H-9M9 0H13",
  disc: "M-7 0A7 7 0 0 1 7 0A7 7 0 0 1-7 0",
};

const MIDDLE = 0.5; // of the plate
const CATCH = 8; // CSS pixels from the plate's middle within which what is held straight stops there

/** A mark that is dragged to where something is; a line shows what leads to it, the way it goes. */
export function Position({ plate, placement, setting, value, values, labelled, onChange, onRest, onReset }: HandleProps<PlaceInfo>) {
  const place = value as Spot;
  const at = toScreen(placement, plate, place);
  const from = setting.joined ? (values[setting.joined] as Spot | undefined) : undefined;
  const set = (to: Spot) => onChange([within(setting, to[0]), within(setting, to[1])]);
  const handle = useHandle({
    at,
    onMove: (to, straight) => {
      const [x, y] = toPlate(placement, plate, to);
      const near = (share: number, length: number) =>
        straight && Math.abs(share - MIDDLE) * length * placement.scale < CATCH ? MIDDLE : share;
      set([near(x, plate.width), near(y, plate.height)]);
    },
    axes: true,
    onStep: (across, down) => set([place[0] + across * setting.step, place[1] + down * setting.step]),
    onRest: () => onRest(),
  });
  return (
    <>
      {from && <Lead from={toScreen(placement, plate, from)} to={at} />}
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
        <path className="halo" d={marks[setting.mark]} />
        <path className={setting.mark === "disc" ? "line full" : "line"} d={marks[setting.mark]} />
        <text className={labelled ? "always" : undefined} x={18} y={4}>
          {setting.label}
        </text>
      </g>
    </>
  );
}

/** A dashed line with an arrow in its middle. */
function Lead({ from, to }: { from: { x: number; y: number }; to: { x: number; y: number } }) {
  const turn = (Math.atan2(to.y - from.y, to.x - from.x) * 180) / Math.PI;
  return (
    <g>
      <line className="dash" x1={from.x} y1={from.y} x2={to.x} y2={to.y} />
      <path
        className="dot"
        d="M6 0-5-4.5-2.5 0-5 4.5z"
        transform={`translate(${(from.x + to.x) / 2} ${(from.y + to.y) / 2}) rotate(${turn})`}
      />
    </g>
  );
}
