import styled from "styled-components";
import type { Catalogue, Light, Mask, Rig, Stage } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { Icon } from "../../../ui/Icon";
import { Menu } from "../../../ui/Menu";
import { tone } from "../../../ui/theme";
import { stillProposed } from "../../store/areas";
import { useBench, useNow, useSome } from "../../store/bench";
import { toolsOf, valueIn } from "../../store/partTools";
import { matteOwner, valuesAt } from "../../store/rig";
import { Section } from "../Section";

const Frame = styled(Section)`
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
    display: grid;
    gap: 4px;
  }
  li {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto auto;
    align-items: center;
    gap: 6px;
  }
  li > span {
    color: ${tone.faint};
    font-size: 12px;
  }
  li button {
    min-height: 24px;
    justify-content: flex-start;
  }
`;

/** How many lights, mattes and the house light refer to a matte. */
function users(rig: Rig, { parts, kinds }: Catalogue, id: string): number {
  const inMask = (mask: Mask) =>
    mask.parts.some((part) => {
      const { matte } = toolsOf(parts.find((p) => p.name === part.part));
      return matte !== undefined && valueIn(part, matte) === id;
    });
  const inStages = (light: Light) =>
    (kinds.find((kind) => kind.name === light.kind)?.groups ?? []).some((group) =>
      group.settings.some((s) => s.type === "matte" && valuesAt(rig, { light: light.id, stage: group.name as Stage })[s.name] === id),
    );
  const lights = rig.lights.filter((light) => light.behind.matte === id || inMask(light.mask) || inStages(light));
  return lights.length + [rig.house.mask, ...rig.mattes.map((m) => m.mask)].filter(inMask).length;
}

/** The mattes of the plate: areas that any light can stand behind or stay within. */
export function MatteList() {
  const { masking, select, catalogue, areas } = useBench();
  const proposed = useSome(stillProposed);
  const { parts } = catalogue;
  const rig = useNow((s) => s.rig);
  const choices = parts
    .filter((p) => p.offered && !toolsOf(p).matte)
    .map((p) => ({ id: p.name, text: p.title, about: p.summary, act: () => masking.newMatte(p.name) }));
  return (
    <Frame aria-label="Mattes">
      <h3>Mattes</h3>
      <p>Saved areas, such as a subject or a foreground, that any light can stand behind or stay within.</p>
      <ul>
        {rig.mattes.map((matte) => {
          const count = users(rig, catalogue, matte.id);
          return (
            <li key={matte.id}>
              <Button onPress={() => select(matteOwner(matte.id))}>{matte.name || matte.id}</Button>
              <span>{count === 0 ? "not used" : `used by ${count}`}</span>
              <Button weight="bare" aria-label={`Remove the matte ${matte.name || matte.id}`} onPress={() => masking.removeMatte(matte)}>
                ×
              </Button>
            </li>
          );
        })}
        {proposed.map((area) => (
          <li key={area.name}>
            <Button hint={area.about} onPress={() => areas.take(area, null)}>
              <Icon name="plus" size={14} /> {area.title}
            </Button>
            <span>found in the picture</span>
            <Button weight="bare" aria-label={`Do not propose ${area.title}`} onPress={() => areas.dismiss(area)}>
              ×
            </Button>
          </li>
        ))}
      </ul>
      <div>
        <Menu label="New matte from" choices={choices}>
          <Button>
            <Icon name="plus" size={14} /> New matte
          </Button>
        </Menu>
      </div>
    </Frame>
  );
}
