import { Button } from "../../../../ui/Button";
import { CarriedSpots } from "../../../picture/CarriedSpots";
import { CornerHandles } from "../../../picture/CornerHandles";
import type { Spot } from "../../../store/places";
import { ListRow } from "../ListRow";
import { PlaceNumbers } from "../PlaceNumbers";
import { settingView } from "../registry";

/** Areas of four corners: dragged on the picture, typed, one more or one fewer in their row. */
export const view = settingView("quads", {
  follows: true,
  adding: ({ light, stage, setting }) => (stage === "source" || stage === "spread" ? { do: "next-quad", light, stage, setting } : null),
  Row: ({ setting, value, onChange, onRest, onAdd }) => {
    const quads = value as Spot[][];
    const once = (next: unknown) => {
      onChange(next);
      onRest();
    };
    return (
      <>
        <ListRow value={value}>
          <Button hint="One more in the row; drag its corners where it belongs" onPress={() => onAdd?.()}>
            Add one more
          </Button>
          <Button weight="bare" isDisabled={quads.length < 2} hint="Removes the last" onPress={() => once(quads.slice(0, -1))}>
            Remove one
          </Button>
        </ListRow>
        <PlaceNumbers setting={setting} value={quads} onChange={once} />
      </>
    );
  },
  Handle: ({ plate, placement, setting, value, onChange, onRest }) => {
    const quads = value as Spot[][];
    return (
      <>
        <CarriedSpots
          plate={plate}
          placement={placement}
          label={setting.label}
          value={quads}
          spotsOf={(all) => all.flat()}
          carried={(all, { place }) => all.map((quad) => quad.map(place))}
          onChange={onChange}
          onRest={onRest}
        />
        {quads.map((quad, k) => (
          <CornerHandles
            key={k}
            plate={plate}
            placement={placement}
            label={`${setting.label} ${k + 1}`}
            free={false}
            corners={quad}
            onChange={(corners, label) => {
              onChange(quads.map((q, i) => (i === k ? corners : q)));
              onRest(label);
            }}
          />
        ))}
      </>
    );
  },
  apart: true,
});
