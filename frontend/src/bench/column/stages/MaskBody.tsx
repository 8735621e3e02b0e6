import { lightOwner } from "../../store/rig";
import { MaskPanel } from "../masks/MaskPanel";
import type { BodyProps } from "./body";

/** The parts of the light's mask. */
export function MaskBody({ id }: BodyProps) {
  return <MaskPanel owner={lightOwner(id)} />;
}
