import styled from "styled-components";
import { tone } from "../../ui/theme";
import { useNow } from "../store/bench";

const List = styled.dl`
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 12px;
  margin: 4px 0 0;
  font-size: 12px;
  dt {
    color: ${tone.faint};
  }
  dd {
    margin: 0;
    text-align: right;
    color: ${tone.text};
  }
`;

function percent(share: number): string {
  return `${(share * 100).toFixed(1)} %`;
}

/** Numbers to judge a light by: facts, no score. */
export function Numbers() {
  const facts = useNow((s) => s.facts);
  const mattes = useNow((s) => s.rig.mattes);
  const light = facts?.of_light;
  if (!facts || !light) return null;
  const rows: [string, string][] = [["Newly clipped by all lights", percent(facts.newly_clipped)]];
  for (const matte of mattes) {
    const share = light.on_mattes[matte.id];
    if (share !== undefined) rows.push([`Of this light on ${matte.name || matte.id}`, percent(share)]);
  }
  if (light.temperature !== null) {
    const there = light.plate_temperature === null ? "" : `, plate there ${Math.round(light.plate_temperature / 10) * 10} K`;
    rows.push(["Its colour", `${Math.round(light.temperature / 10) * 10} K${there}`]);
  }
  if (light.off_best !== null) rows.push(["Off the likeliest source", `${Math.round(light.off_best)}°`]);
  return (
    <List aria-label="Numbers">
      {rows.map(([name, value]) => (
        <div key={name} style={{ display: "contents" }}>
          <dt>{name}</dt>
          <dd>{value}</dd>
        </div>
      ))}
    </List>
  );
}
