import { Button } from "../../../../ui/Button";
import { CornerHandles } from "../../../picture/CornerHandles";
import type { Spot } from "../../../store/places";
import { isEmpty, ListRow } from "../ListRow";
import { PlaceNumbers } from "../PlaceNumbers";
import { settingView } from "../registry";

/** An area with straight sides: drawn corner by corner on the picture, dragged, typed. */
export const view = settingView("polygon", {
  follows: true,
  Row: ({ setting, value, onChange, onRest, onReset }) => (
    <>
      <ListRow value={value}>
        <Button weight="bare" isDisabled={isEmpty(value)} onPress={onReset}>
          Clear
        </Button>
      </ListRow>
      <PlaceNumbers
        setting={setting}
        value={value as Spot[]}
        onChange={(next) => {
          onChange(next);
          onRest();
        }}
      />
    </>
  ),
  Handle: ({ plate, placement, setting, value, onChange, onRest }) => (
    <CornerHandles
      plate={plate}
      placement={placement}
      label={setting.label}
      free
      corners={value as Spot[]}
      onChange={(corners, label) => {
        onChange(corners);
        onRest(label);
      }}
    />
  ),
  apart: true,
});
