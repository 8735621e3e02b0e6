import { useRef } from "react";
import type { Plate } from "../../api/client";
import type { Spot } from "../store/places";
import { BoxHandles, type Carried } from "./BoxHandles";
import type { Placement } from "./view";

interface Props<T> {
  plate: Plate;
  placement: Placement;
  label: string;
  value: T;
  spotsOf: (value: T) => Spot[];
  carried: (value: T, by: Carried) => T;
  /** What belongs to them is taken hold of, and carried too. */
  onTake?: () => void;
  onCarry?: (by: Carried) => void;
  onChange: (value: T) => void;
  onRest: (label: string) => void;
}

/** A box round all places of a value. However often it is carried about, nothing of it is lost: every movement begins from
 * what was there when the hand took hold. */
export function CarriedSpots<T>({ plate, placement, label, value, spotsOf, carried, onTake, onCarry, onChange, onRest }: Props<T>) {
  const held = useRef(value);
  const spots = spotsOf(value);
  if (spots.length < 2) return null;
  return (
    <BoxHandles
      plate={plate}
      placement={placement}
      label={label.toLowerCase()}
      spots={spots}
      onTake={() => {
        held.current = value;
        onTake?.();
      }}
      onCarry={(by) => {
        onChange(carried(held.current, by));
        onCarry?.(by);
      }}
      onRest={onRest}
    />
  );
}
