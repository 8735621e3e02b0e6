import { useState } from "react";
import styled from "styled-components";
import type { SettingInfo } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { NumberField } from "../../../ui/NumberField";
import { tone } from "../../../ui/theme";
import type { Spot } from "../../store/places";

const List = styled.div`
  flex: 1 0 100%;
  display: grid;
  grid-template-columns: 1fr 64px 64px;
  gap: 2px 6px;
  align-items: center;
  color: ${tone.faint};
  font-size: 12px;
`;

const STEP = 0.005;
const MOST_SHOWN = 40;

interface Props {
  setting: SettingInfo;
  /** Places, or lists of places. */
  value: Spot[] | Spot[][];
  onChange: (value: Spot[] | Spot[][]) => void;
}

function isNested(value: Spot[] | Spot[][]): value is Spot[][] {
  return Array.isArray(value[0]?.[0]);
}

/** Corners and points as numbers that can be typed, in per cent of the plate. */
export function PlaceNumbers({ setting, value, onChange }: Props) {
  const [open, setOpen] = useState(false);
  const lists = isNested(value) ? value : [value];
  const put = (list: number, index: number, axis: 0 | 1, to: number) => {
    const next = lists.map((spots, l) =>
      spots.map((spot, k): Spot => (l === list && k === index ? (axis === 0 ? [to, spot[1]] : [spot[0], to]) : spot)),
    );
    onChange(isNested(value) ? next : (next[0] ?? []));
  };
  const percent = {
    shown: (v: number) => (v * 100).toFixed(1),
    read: (text: string) => (Number.isFinite(Number(text.replace(",", "."))) ? Number(text.replace(",", ".")) / 100 : null),
  };
  if (value.length === 0) return null;
  return (
    <List>
      <Button weight="bare" aria-expanded={open} style={{ gridColumn: "1 / -1", justifySelf: "start" }} onPress={() => setOpen(!open)}>
        {setting.label} as numbers
      </Button>
      {open &&
        lists.flatMap((spots, l) =>
          spots.slice(0, MOST_SHOWN).map((spot, k) => {
            const name = lists.length > 1 ? `${l + 1}, corner ${k + 1}` : `Corner ${k + 1}`;
            return (
              <div key={`${l} ${k}`} style={{ display: "contents" }}>
                <span>{name}</span>
                {([0, 1] as const).map((axis) => (
                  <NumberField
                    key={axis}
                    label={`${setting.label} ${name}, ${axis === 0 ? "across" : "down"} in per cent`}
                    value={spot[axis]}
                    step={STEP}
                    {...percent}
                    onCommit={(v) => put(l, k, axis, v)}
                  />
                ))}
              </div>
            );
          }),
        )}
    </List>
  );
}
