import { Button } from "../../../ui/Button";
import { Icon } from "../../../ui/Icon";
import type { SettingInfo } from "../../../api/client";
import { useBench, useNow } from "../../store/bench";
import { trackOf } from "../../store/keys";
import { valuesAt, type Place } from "../../store/rig";
import { KeyButton } from "./KeyButton";
import { viewOf } from "./registry";

/** What changes a setting over the frames of a reel: its keys, and for a place or a shape that it follows what is under it. */
export function KeyTools({ place, setting }: { place: Place; setting: SettingInfo }) {
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
      <KeyButton place={place} setting={setting} />
    </>
  );
}
