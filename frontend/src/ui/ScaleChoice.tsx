import { Select } from "./Select";
import { scaleOptions, useScaleChoice } from "./scale";

/** How large the interface is drawn. */
export function ScaleChoice() {
  const [value, choose] = useScaleChoice();
  return <Select label="Size of the interface" value={value} options={scaleOptions} onChange={choose} />;
}
