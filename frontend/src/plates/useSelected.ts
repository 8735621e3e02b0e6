import { useState } from "react";
import type { Plate } from "../api/client";

/** Which of the plates are ticked; those that are gone no longer are. */
export function useSelected(plates: Plate[]) {
  const [ids, setIds] = useState<number[]>([]);
  const selected = plates.filter((plate) => ids.includes(plate.id));
  return {
    selected,
    has: (plate: Plate) => ids.includes(plate.id),
    turn: (plate: Plate) => setIds((all) => (all.includes(plate.id) ? all.filter((id) => id !== plate.id) : [...all, plate.id])),
    clear: () => setIds([]),
  };
}
