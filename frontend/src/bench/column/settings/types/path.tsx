import { Button } from "../../../../ui/Button";
import { CarriedSpots } from "../../../picture/CarriedSpots";
import { CornerHandles } from "../../../picture/CornerHandles";
import type { Spot } from "../../../store/places";
import { isEmpty, ListRow } from "../ListRow";
import { PlaceNumbers } from "../PlaceNumbers";
import { settingView } from "../registry";

/** A path: drawn point by point on the picture, dragged, typed. */
export const view = settingView("path", {
  follows: true,
  Row: ({ setting, value, onChange, onRest }) => {
    const once = (next: unknown) => {
      onChange(next);
      onRest();
    };
    return (
      <>
        <ListRow value={value}>
          <Button weight="bare" isDisabled={isEmpty(value)} hint="Removes the path, so that it can be drawn again" onPress={() => once([])}>
            Draw again
          </Button>
        </ListRow>
        <PlaceNumbers setting={setting} value={value as Spot[]} onChange={once} />
      </>
    );
  },
  Handle: ({ plate, placement, setting, value, edges, onChange, onRest }) => (
    <>
      <CarriedSpots
        plate={plate}
        placement={placement}
        label={setting.label}
        value={value as Spot[]}
        spotsOf={(spots) => spots}
        carried={(spots, { place }) => spots.map(place)}
        onChange={onChange}
        onRest={onRest}
      />
      <CornerHandles
        plate={plate}
        placement={placement}
        label={setting.label}
        free
        open
        directions={edges}
        corners={value as Spot[]}
        onChange={(corners, label) => {
          onChange(corners);
          onRest(label);
        }}
      />
    </>
  ),
  apart: true,
});
