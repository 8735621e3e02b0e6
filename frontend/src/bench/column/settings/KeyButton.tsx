import { memo, useRef, useState } from "react";
import type { SettingInfo } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { Icon } from "../../../ui/Icon";
import { ContextMenu, type Choice } from "../../../ui/Menu";
import { tone } from "../../../ui/theme";
import { useBench, useNow } from "../../store/bench";
import { trackOf } from "../../store/keys";
import type { Place } from "../../store/rig";

/** Sets a key of a setting at the frame that is seen, or takes it away; a right-click says how it goes between keys. */
export const KeyButton = memo(function KeyButton({ place, setting }: { place: Place; setting: SettingInfo }) {
  const { frames, catalogue } = useBench();
  const anchor = useRef<HTMLElement | null>(null);
  const [menu, setMenu] = useState(false);
  const between = useNow((s) => trackOf(s.rig, place, setting.name)?.between ?? null);
  const here = useNow((s) => trackOf(s.rig, place, setting.name)?.at.some(([frame]) => frame === s.frame) ?? false);
  const choices: Choice[] =
    between === null
      ? []
      : [
          ...catalogue.between.map(({ value, text }) => ({
            id: value,
            text: value === between ? `${text} ✓` : text,
            act: () => frames.between(place, setting.name, value as "linear"),
          })),
          { id: "clear", text: "Remove all its keys", act: () => frames.clearKeys(place, setting.name) },
        ];
  const does = here ? "Remove the key at this frame" : "Set a key at this frame";
  return (
    <span
      ref={anchor}
      onContextMenu={(event) => {
        event.preventDefault();
        event.stopPropagation();
        if (between !== null) setMenu(true);
      }}
    >
      <Button
        weight="bare"
        className={between === null ? "strip" : "strip keyed"}
        aria-label={`${does}: ${setting.label}`}
        hint={between === null ? does : `${does}; right-click: how it goes from one key to the next`}
        onPress={() => frames.turnKey(place, setting.name, here)}
        style={between === null ? undefined : { color: here ? tone.accent : tone.text }}
      >
        <Icon name={here ? "keyHere" : "key"} size={14} />
      </Button>
      {between !== null && (
        <ContextMenu
          label={`Between the keys of ${setting.label}`}
          choices={choices}
          anchor={anchor}
          open={menu}
          onClose={() => setMenu(false)}
        />
      )}
    </span>
  );
});
