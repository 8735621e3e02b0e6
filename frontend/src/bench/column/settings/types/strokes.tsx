import { useRef } from "react";
import type { SettingOf, Stage as LightStage, Stroke } from "../../../../api/client";
import { Button } from "../../../../ui/Button";
import type { Carried } from "../../../picture/BoxHandles";
import { CarriedSpots } from "../../../picture/CarriedSpots";
import { within } from "../../../picture/handles/within";
import { useBench } from "../../../store/bench";
import type { Spot } from "../../../store/places";
import { valuesAt } from "../../../store/rig";
import { isEmpty, ListRow } from "../ListRow";
import { settingView } from "../registry";

function spotsOf(strokes: Stroke[]): Spot[] {
  return strokes.flatMap(({ points }) =>
    Array.from({ length: points.length / 3 }, (_, k): Spot => [points[3 * k] ?? 0, points[3 * k + 1] ?? 0]),
  );
}

function carried(stroke: Stroke, { place, scale }: Carried, size: { low: number; high: number }): Stroke {
  const points = spotsOf([stroke]).flatMap((spot, k) => [...place(spot), stroke.points[3 * k + 2] ?? 1]);
  return { ...stroke, size: within(size, stroke.size * scale), points };
}

/** Strokes: painted on the picture. */
export const view = settingView("strokes", {
  Row: ({ value, onReset, onPaint }) => (
    <ListRow value={value}>
      {onPaint && (
        <Button hint="Paint on the picture; Escape ends it" onPress={onPaint}>
          Paint
        </Button>
      )}
      <Button weight="bare" isDisabled={isEmpty(value)} onPress={onReset}>
        Clear
      </Button>
    </ListRow>
  ),
  Handle: function StrokesHandle({ plate, placement, place, setting, value, onChange, onRest }) {
    const { catalogue, editing, now } = useBench();
    const along = useRef<Spot | null>(null);
    // The place of the light that goes with its strokes.
    const [stage, name] = setting.carries.split(".") as [LightStage, string];
    const light = setting.carries && typeof place === "object" && "light" in place ? place.light : null;
    const size = catalogue.brush.settings.find((s): s is SettingOf<"number"> => s.type === "number" && s.name === "size");
    if (!size) return null;
    return (
      <CarriedSpots
        plate={plate}
        placement={placement}
        label={setting.label}
        value={value as Stroke[]}
        spotsOf={spotsOf}
        carried={(strokes, by) => strokes.map((stroke) => carried(stroke, by, size))}
        onTake={() => {
          along.current = light ? (valuesAt(now().rig, { light, stage })[name] as Spot) : null;
        }}
        onCarry={(by) => {
          if (light && along.current) editing.ofLight(light, stage, name, by.place(along.current));
        }}
        onChange={onChange}
        onRest={onRest}
      />
    );
  },
  apart: true,
});
