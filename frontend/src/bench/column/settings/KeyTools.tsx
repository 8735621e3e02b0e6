import { Button } from "../../../ui/Button";
import { Icon } from "../../../ui/Icon";
import type { SettingInfo } from "../../../api/client";
import { useBench } from "../../store/bench";
import type { Spot } from "../../store/places";
import { valuesAt, type Place } from "../../store/rig";
import { KeyButton } from "./KeyButton";

/** What changes a setting over the frames of a reel: its keys, and for a place that it follows what is under it. */
export function KeyTools({ place, setting }: { place: Place; setting: SettingInfo }) {
  const { frames, now } = useBench();
  return (
    <>
      {setting.type === "place" && (
        <Button
          weight="bare"
          className="strip"
          aria-label={`Follow: ${setting.label}`}
          hint="Follows what is under it in the picture, over all frames"
          onPress={() => void frames.follow(place, setting.name, valuesAt(now().rig, place)[setting.name] as Spot, setting.label)}
        >
          <Icon name="follow" size={14} />
        </Button>
      )}
      <KeyButton place={place} setting={setting} />
    </>
  );
}
