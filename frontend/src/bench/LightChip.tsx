import { useEffect, useRef, useState } from "react";
import { Button as AriaButton, ToggleButton } from "react-aria-components";
import styled from "styled-components";
import type { Light, SettingOf } from "../api/client";
import { Button, Toggle } from "../ui/Button";
import { Hint } from "../ui/Hint";
import { Icon } from "../ui/Icon";
import { ContextMenu, Menu, type Choice } from "../ui/Menu";
import { Slider } from "../ui/Slider";
import { TextField } from "../ui/TextField";
import { focusRing, tone } from "../ui/theme";
import { chipLook } from "./Chip";

const Box = styled.div<{ $selected: boolean; $dim: boolean; $carried: boolean }>`
  ${chipLook}
  display: grid;
  grid-template-rows: auto auto 1fr;
  gap: 2px;
  width: 178px;
  padding: 5px 8px 4px;
  opacity: ${(p) => (p.$carried ? 0.4 : 1)};
  .name {
    color: ${(p) => (p.$dim ? tone.faint : tone.strong)};
  }
  .row {
    display: flex;
    align-items: center;
    gap: 3px;
  }
  .row button {
    min-height: 22px;
    padding: 0 6px;
  }
  .fader {
    display: grid;
    grid-template-columns: 1fr 36px;
    gap: 6px;
    align-items: center;
    font-size: 12px;
    color: ${tone.faint};
    text-align: right;
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
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
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

export interface LightActions {
  intensity: SettingOf<"number">;
  /** Characters that a name may have. */
  longest: number;
  onSwitch: (id: string) => void;
  onSolo: (id: string) => void;
  onIntensity: (id: string, value: number) => void;
  onIntensityRest: () => void;
  onDuplicate: (id: string) => void;
  onCopies: (id: string, count: number) => void;
  onLeave: (id: string) => void;
  onRemove: (id: string) => void;
  onRename: (id: string, name: string) => void;
}

interface Props {
  light: Light;
  title: string;
  selected: boolean;
  solo: boolean;
  first: boolean;
  last: boolean;
  carried: boolean;
  /** What the light has to say of itself: that nothing shines, and what to change. */
  says: string | undefined;
  onSelect: () => void;
  onCarry: (now: boolean) => void;
  onDropHere: () => void;
  onMove: (by: number) => void;
  actions: LightActions;
}

/** A light on the desk: its name, switch, solo, fader and what else can be done with it. */
export function LightChip({
  light,
  title,
  selected,
  solo,
  first,
  last,
  carried,
  says,
  onSelect,
  onCarry,
  onDropHere,
  onMove,
  actions,
}: Props) {
  const box = useRef<HTMLDivElement>(null);
  const [menu, setMenu] = useState(false);
  const [name, setName] = useState<string | null>(null);
  useEffect(() => {
    if (selected) box.current?.scrollIntoView({ block: "nearest", inline: "nearest" });
  }, [selected]);
  const choices: Choice[] = [
    { id: "rename", text: "Rename", act: () => setName(title) },
    { id: "duplicate", text: "Duplicate", keys: "Ctrl D", act: () => actions.onDuplicate(light.id) },
    {
      id: "copy",
      text: "Copy with offset",
      about: "Shares its settings; position and mask are its own",
      keys: "Ctrl Shift D",
      act: () => actions.onCopies(light.id, 1),
    },
    { id: "copies", text: "Four copies with offset", act: () => actions.onCopies(light.id, 4) },
    ...(light.group
      ? [{ id: "leave", text: "Leave its group", about: "Its settings are no longer shared", act: () => actions.onLeave(light.id) }]
      : []),
    { id: "earlier", text: "Move lower", keys: "Alt ←", disabled: first, act: () => onMove(-1) },
    { id: "later", text: "Move higher", keys: "Alt →", disabled: last, act: () => onMove(1) },
    { id: "remove", text: "Remove", keys: "Delete", act: () => actions.onRemove(light.id) },
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
        if (event.target instanceof HTMLElement && event.target.closest(".fader")) {
          event.preventDefault();
          return;
        }
        event.dataTransfer.effectAllowed = "move";
        onCarry(true);
      }}
      onDragEnd={() => onCarry(false)}
      onDragOver={(event) => event.preventDefault()}
      onDrop={onDropHere}
      onPointerDown={() => !selected && onSelect()}
      onContextMenu={(event) => {
        event.preventDefault();
        setMenu(true);
      }}
    >
      {name === null ? (
        <Name className="name" isSelected={selected} onChange={onSelect} onDoubleClick={() => setName(title)}>
          {title}
        </Name>
      ) : (
        <TextField
          label="Name of the light"
          hideLabel
          autoFocus
          value={name}
          onChange={setName}
          onDone={(kept) => {
            setName(null);
            if (kept && name.trim() && name.trim() !== title) actions.onRename(light.id, name.trim().slice(0, actions.longest));
          }}
        />
      )}
      <div className="row">
        <Toggle
          weight="bare"
          aria-label={`${title} on`}
          hint={light.on ? "Switch off" : "Switch on"}
          isSelected={light.on}
          onChange={() => actions.onSwitch(light.id)}
        >
          <Icon name={light.on ? "lit" : "unlit"} size={14} />
        </Toggle>
        <Toggle
          weight="bare"
          aria-label={`Solo ${title}`}
          hint="Shows only this light"
          isSelected={solo}
          onChange={() => actions.onSolo(light.id)}
        >
          Solo
        </Toggle>
        <span style={{ flex: 1 }} />
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
        <Menu label={`What to do with ${title}`} choices={choices}>
          <Button weight="bare" aria-label={`More for ${title}`}>
            <Icon name="more" size={14} />
          </Button>
        </Menu>
      </div>
      <div
        className="fader"
        onDoubleClick={() => {
          actions.onIntensity(light.id, actions.intensity.default as number);
          actions.onIntensityRest();
        }}
      >
        <Slider
          label={`Intensity of ${title}`}
          value={light.merge.intensity}
          low={actions.intensity.low}
          high={actions.intensity.high}
          step={actions.intensity.step}
          exponent={actions.intensity.exponent}
          onChange={(value) => actions.onIntensity(light.id, value)}
          onRest={actions.onIntensityRest}
        />
        <span>{light.merge.intensity.toFixed(2)}</span>
      </div>
      <ContextMenu label={`What to do with ${title}`} choices={choices} anchor={box} open={menu} onClose={() => setMenu(false)} />
    </Box>
  );
}
