import { memo, useEffect, useMemo, useRef, useState } from "react";
import { Button as AriaButton, ToggleButton } from "react-aria-components";
import styled from "styled-components";
import type { SettingOf } from "../../api/client";
import { Button, Toggle } from "../../ui/Button";
import { Hint } from "../../ui/Hint";
import { Drawing, Icon } from "../../ui/Icon";
import { ContextMenu, Menu, type Choice } from "../../ui/Menu";
import { NumberField } from "../../ui/NumberField";
import { STOP } from "../../ui/OneStop";
import { Slider } from "../../ui/Slider";
import { useFittingName } from "../../ui/useFittingName";
import { TextField } from "../../ui/TextField";
import { focusRing, oneLine, tone } from "../../ui/theme";
import { useLongPress } from "../../ui/useLongPress";
import { useBench, useNow, useSome } from "../store/bench";
import { lightOf, lightOwner } from "../store/rig";
import { secondsLeft } from "../store/preparing";
import { lightIdNow, shotName } from "../store/selectors";
import { notation } from "../column/units";
import { chipLook } from "./Chip";

const Box = styled.div<{ $selected: boolean; $dim: boolean; $carried: boolean }>`
  ${chipLook}
  container-type: inline-size;
  display: grid;
  grid-template-rows: auto auto 1fr;
  gap: 0;
  flex: 1 1 150px;
  min-width: 72px;
  max-width: 178px;
  padding: 3px 6px;
  opacity: ${(p) => (p.$carried ? 0.4 : 1)};
  .name {
    color: ${(p) => (p.$dim ? tone.faint : tone.strong)};
  }
  .head {
    display: flex;
    align-items: center;
    gap: 4px;
    min-width: 0;
    color: ${tone.faint};
  }
  .row {
    display: flex;
    align-items: center;
    gap: 2px;
  }
  .row button {
    min-height: 24px;
    min-width: 24px;
    padding: 0 1px;
  }
  .gap {
    flex: 1;
  }
  .fader {
    display: grid;
    grid-template-columns: 1fr 38px;
    gap: 6px;
    align-items: center;
    font-size: 12px;
    color: ${tone.faint};
    text-align: right;
  }
  .waits {
    font-size: 12px;
    color: ${tone.warning};
  }
  /* On a full desk the faders have all of their chips. */
  @container (max-width: 110px) {
    .fader {
      grid-template-columns: 1fr;
    }
    .fader > :last-child {
      display: none;
    }
  }
`;

const Name = styled(ToggleButton)`
  appearance: none;
  border: 0;
  padding: 0;
  background: none;
  font: inherit;
  font-weight: 550;
  text-align: left;
  min-height: 24px;
  flex: 1;
  min-width: 0;
  ${oneLine}
  &[data-focus-visible] {
    ${focusRing}
  }
`;

const Says = styled(AriaButton)`
  appearance: none;
  border: 0;
  background: none;
  display: inline-flex;
  color: ${tone.warning};
  &[data-focus-visible] {
    ${focusRing}
  }
`;

interface Props {
  id: string;
  index: number;
  last: boolean;
  carried: boolean;
  onCarry: (now: boolean) => void;
  onDropHere: () => void;
}

/** A light on the desk: its name, switch, solo, fader and what else can be done with it. */
export const LightChip = memo(function LightChip({ id, index, last, carried, onCarry, onDropHere }: Props) {
  const { lights, editing, catalogue, kindOf, select, open } = useBench();
  const light = useSome((s) => {
    const one = lightOf(s.rig, id);
    return {
      name: one?.name,
      title: kindOf(one)?.title,
      icon: kindOf(one)?.icon,
      on: one?.on ?? false,
      changes: s.rig.keys[id]?.on !== undefined,
      group: one?.group,
      intensity: one?.merge.intensity ?? 0,
    };
  });
  const fader = useMemo(
    () => catalogue.kinds[0]?.groups.at(-1)?.settings.find((s): s is SettingOf<"number"> => s.type === "number" && s.name === "intensity"),
    [catalogue],
  );
  const how = useMemo(() => fader && notation(fader), [fader]);
  const fade = (value: number) => {
    if (!fader) return;
    editing.ofLight(id, "merge", fader.name, value);
    editing.rest(fader.label);
  };
  const selected = useNow((s) => lightIdNow(s) === id);
  const shot = useNow(shotName);
  const solo = useNow((s) => s.solo === id);
  // What the light has to say of itself: that nothing shines, and what to change.
  const says = useNow((s) => s.facts?.says[id]);
  const seconds = useNow((s) => secondsLeft(s, lightOf(s.rig, id)?.kind));
  const title = light.name || (light.title ?? id);
  const onSelect = () => select(lightOwner(id));
  const box = useRef<HTMLDivElement>(null);
  const [menu, setMenu] = useState(false);
  const [name, setName] = useState<string | null>(null);
  const fitting = useFittingName(catalogue.limits.name_length);
  useEffect(() => {
    if (selected) box.current?.scrollIntoView({ block: "nearest", inline: "nearest" });
  }, [selected]);
  const longPress = useLongPress(() => setMenu(true));
  const choices: Choice[] = [
    { id: "rename", text: "Rename", act: () => setName(title) },
    { id: "duplicate", text: "Duplicate", keys: "Ctrl D", act: () => lights.duplicate(id) },
    {
      id: "copy",
      text: "Copy with offset",
      about: "Shares its settings; position and mask are its own",
      keys: "Ctrl Shift D",
      act: () => lights.copies(id, 1),
    },
    {
      id: "mirror",
      text: "Mirror to the other side",
      about: "A second light, with its mask mirrored too",
      keys: "Ctrl M",
      act: () => lights.mirror(id),
    },
    {
      id: "kind",
      text: "Change its kind…",
      about: "Its place, mask and colour stay",
      act: () => {
        select(lightOwner(id));
        open("change-kind");
      },
    },
    {
      id: "elsewhere",
      text: "Copy to other plates…",
      about: "Laid on top of what is there",
      act: () => {
        select(lightOwner(id));
        open("copy");
      },
    },
    { id: "copies", text: "Four copies with offset", act: () => lights.copies(id, 4) },
    ...(light.group
      ? [{ id: "leave", text: "Leave its group", about: "Its settings are no longer shared", act: () => lights.leave(id) }]
      : []),
    ...(shot === ""
      ? []
      : [
          { id: "only", text: "Shine in this shot only", about: shot, act: () => lights.shine(id, "only") },
          light.on
            ? { id: "not", text: "Go dark in this shot", about: shot, act: () => lights.shine(id, "not") }
            : { id: "too", text: "Shine in this shot too", about: shot, act: () => lights.shine(id, "too") },
          ...(light.changes ? [{ id: "all", text: "Shine in all shots", act: () => lights.shine(id, "all") }] : []),
        ]),
    { id: "earlier", text: "Move lower", keys: "Alt ←", disabled: index === 0, act: () => lights.moveBy(id, -1) },
    { id: "later", text: "Move higher", keys: "Alt →", disabled: last, act: () => lights.moveBy(id, 1) },
    { id: "remove", text: "Remove", keys: "Delete", act: () => lights.remove(id) },
  ];
  return (
    <Box
      ref={box}
      $selected={selected}
      $dim={!light.on}
      $carried={carried}
      role="group"
      aria-label={title}
      draggable={name === null}
      onDragStart={(event) => {
        // Only the chip's face is carried; its fader and buttons are not.
        if (event.target instanceof HTMLElement && event.target.closest(".fader, input")) {
          event.preventDefault();
          return;
        }
        event.dataTransfer.effectAllowed = "move";
        onCarry(true);
      }}
      onDragEnd={() => onCarry(false)}
      onDragOver={(event) => event.preventDefault()}
      onDrop={onDropHere}
      {...longPress}
      onPointerDown={(event) => {
        longPress.onPointerDown(event);
        if (!selected) onSelect();
      }}
      onContextMenu={(event) => {
        event.preventDefault();
        setMenu(true);
      }}
    >
      {name === null ? (
        <div className="head">
          {light.icon && <Drawing path={light.icon} />}
          <Hint text={light.title && light.title !== title ? `${title}: ${light.title}` : title}>
            <Name {...STOP} className="name" isSelected={selected} onChange={onSelect} onDoubleClick={() => setName(title)}>
              {title}
            </Name>
          </Hint>
          {light.group && (
            <Hint text="One of a group: settings are shared, position and mask are its own">
              <Says style={{ color: tone.faint }} aria-label={`${title} is one of a group`}>
                <Icon name="group" size={14} />
              </Says>
            </Hint>
          )}
          {says && (
            <Hint text={says}>
              <Says aria-label={`${title}: ${says}`}>
                <Icon name="warning" size={14} />
              </Says>
            </Hint>
          )}
        </div>
      ) : (
        <TextField
          label="Name of the light"
          hideLabel
          autoFocus
          value={name}
          onChange={setName}
          onDone={(kept) => {
            setName(null);
            if (kept && name.trim() && name.trim() !== title) lights.rename(id, fitting(name));
          }}
        />
      )}
      <div className="row">
        <Toggle
          weight="bare"
          aria-label={`${title} on`}
          hint={light.on ? "Switch off" : "Switch on"}
          isSelected={light.on}
          onChange={() => lights.turn(id)}
        >
          <Icon name={light.on ? "lit" : "unlit"} size={14} />
        </Toggle>
        <Toggle weight="bare" aria-label={`Solo ${title}`} hint="Shows only this light" isSelected={solo} onChange={() => lights.solo(id)}>
          <Icon name="solo" size={14} />
        </Toggle>
        <span className="gap" />
        <Menu label={`What to do with ${title}`} choices={choices}>
          <Button weight="bare" aria-label={`More for ${title}`}>
            <Icon name="more" size={14} />
          </Button>
        </Menu>
      </div>
      {seconds !== undefined && (
        <span className="waits" role="status">
          Being prepared, {seconds} s
        </span>
      )}
      {fader && how && seconds === undefined && (
        <div className="fader">
          <div onDoubleClick={() => fade(Number(fader.default))}>
            <Slider
              label={`Intensity of ${title}`}
              value={light.intensity}
              text={`${light.intensity.toFixed(2)} ×`}
              low={fader.low}
              high={fader.high}
              step={fader.step}
              exponent={fader.exponent}
              onChange={(value) => editing.ofLight(id, "merge", fader.name, value)}
              onRest={() => editing.rest(fader.label)}
            />
          </div>
          <NumberField
            label={`Intensity of ${title}, value`}
            value={light.intensity}
            low={fader.low}
            high={fader.high}
            step={fader.step}
            shown={how.shown}
            read={how.read}
            onCommit={fade}
          />
        </div>
      )}
      <ContextMenu label={`What to do with ${title}`} choices={choices} anchor={box} open={menu} onClose={() => setMenu(false)} />
    </Box>
  );
});
