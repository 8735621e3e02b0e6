import { Button } from "../../../ui/Button";
import { Icon } from "../../../ui/Icon";
import type { GroupInfo, SettingInfo } from "../../../api/client";
import { useBench, useNow } from "../../store/bench";
import { trackOf } from "../../store/keys";
import type { Spot } from "../../store/places";
import { valuesAt, type Place } from "../../store/rig";
import { KeyButton } from "./KeyButton";
import { viewOf } from "./registry";

/** Whether a setting goes round a place. */
function goesRound(setting: SettingInfo, place: string): boolean {
  return ("about" in setting && setting.about === place) || ("joined" in setting && setting.joined === place);
}

/** What changes a setting over the frames of a reel: its keys, and for a place or a shape that it follows what is under it. */
export function KeyTools({ place, setting, group }: { place: Place; setting: SettingInfo; group: GroupInfo }) {
  const { frames, now } = useBench();
  const followed = useNow((s) => trackOf(s.rig, place, setting.name) !== null);
  if (setting.type === "places" && setting.over_frames) {
    const light = typeof place === "object" && "light" in place ? place.light : "";
    return followed ? (
      <Button hint="Looks for points of light on each frame by itself" onPress={() => frames.resetKeys(place, setting.name)}>
        Find on each frame
      </Button>
    ) : (
      <Button
        hint="Those that are found at this frame stay the same ones over all frames"
        onPress={() => void frames.followPoints(place, setting.name, light)}
      >
        Follow the points
      </Button>
    );
  }
  return (
    <>
      {viewOf(setting)?.follows && (
        <Button
          weight="bare"
          className="strip"
          aria-label={`Follow: ${setting.label}`}
          hint="Follows what is under it in the picture, over all frames"
          onPress={() => void frames.follow(place, setting.name, valuesAt(now().rig, place)[setting.name], setting.label)}
        >
          <Icon name="follow" size={14} />
        </Button>
      )}
      {setting.type === "place" && group.settings.some((one) => goesRound(one, setting.name)) && (
        <Button
          weight="bare"
          className="strip"
          aria-label={`Turn with: ${setting.label}`}
          hint="Follows what is under it; directions turn and lengths grow with it"
          onPress={() => void frames.followTurning(place, setting.name, valuesAt(now().rig, place)[setting.name] as Spot, setting.label)}
        >
          <Icon name="turnWith" size={14} />
        </Button>
      )}
      <KeyButton place={place} setting={setting} />
    </>
  );
}
