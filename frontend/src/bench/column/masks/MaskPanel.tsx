import styled from "styled-components";
import type { Mask, MaskPart, Owner } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { Check } from "../../../ui/Check";
import { Icon } from "../../../ui/Icon";
import { Menu, type Choice } from "../../../ui/Menu";
import { Select } from "../../../ui/Select";
import { tone } from "../../../ui/theme";
import { useBench, useNow } from "../../store/bench";
import type { InShots } from "../../store/editing";
import { keyOf } from "../../store/keys";
import { toolsOf, valueIn } from "../../store/partTools";
import { maskOf } from "../../store/rig";
import { partIndexNow, shotName } from "../../store/selectors";
import type { MaskView } from "../../store/state";
import { PartSettings } from "./PartSettings";

const Frame = styled.div`
  display: grid;
  gap: 6px;
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    align-items: center;
  }
  .part {
    display: grid;
    grid-template-columns: auto minmax(48px, 1fr) minmax(0, auto) auto auto;
    align-items: center;
    gap: 6px;
    padding: 2px 4px 2px 6px;
    border: 1px solid ${tone.line};
    border-radius: 3px;
  }
  .part[data-open] {
    border-color: ${tone.accent};
    background: ${tone.raised};
  }
  .part button {
    min-height: 24px;
    padding: 0 6px;
  }
  .title {
    justify-content: flex-start;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .works {
    color: ${tone.faint};
    font-size: 12px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
`;

const works: Record<string, string> = { add: "adds", subtract: "subtracts", intersect: "intersects" };
const views: { value: MaskView; text: string }[] = [
  { value: "off", text: "Mask hidden" },
  { value: "over", text: "Overlay on the picture" },
  { value: "alone", text: "Mask only, in grey" },
  { value: "light", text: "Light through the mask" },
];

/** A mask: how it begins, its parts, and the part that is worked on. */
export function MaskPanel({ owner }: { owner: Owner }) {
  const { masking, editing, catalogue } = useBench();
  const shot = useNow(shotName);
  const { parts } = catalogue;
  const mask = useNow((s) => maskOf(s.rig, owner));
  const mattes = useNow((s) => s.rig.mattes);
  const shown = useNow((s) => s.maskView);
  const openPart = useNow(partIndexNow);
  // A matte is an area, so nothing of it is shown as light.
  const ofLight = owner.of !== "matte";
  if (!mask) return null;
  const { info } = masking;
  const whatItDoes = (part: MaskPart) => {
    const { matte } = toolsOf(info(part));
    if (!matte) return works[part.combine];
    const referred = valueIn(part, matte);
    const side = info(part)?.group.settings.find((s) => s.name === "side");
    const name = mattes.find((m) => m.id === referred)?.name || (referred ? "a matte that is not there" : "no matte yet");
    return `${side ? String(valueIn(part, side)) : ""} ${name}`;
  };
  const inShots = (part: MaskPart, k: number): Choice[] => {
    const give = (how: InShots) => () => editing.inShot({ ...keyOf({ mask: owner, part: k }, "on"), how });
    if (shot === "") return [];
    return [
      { id: "only", text: "Count in this shot only", about: shot, act: give("only") },
      part.on
        ? { id: "not", text: "Leave out in this shot", about: shot, act: give("not") }
        : { id: "too", text: "Count in this shot too", about: shot, act: give("too") },
      ...(part.keys.on ? [{ id: "all", text: "Count in all shots", act: give("all") }] : []),
    ];
  };
  const kinds: Choice[] = parts
    .filter((p) => p.offered)
    .map((p) => ({ id: p.name, text: p.title, about: p.summary, act: () => masking.add(p.name) }));
  const tools: Choice[] = [
    { id: "invert", text: "Invert", about: "Swaps what is masked and what is not", act: () => masking.invert(owner) },
    ...masking.copies(owner).map((c) => ({ id: c.id, text: `Copy to ${c.text}`, act: c.act })),
    {
      id: "clear",
      text: "Remove all parts",
      disabled: mask.parts.length === 0,
      act: () => masking.parts(owner, () => [], "Clear the mask"),
    },
  ];
  return (
    <Frame role="group" aria-label="Mask">
      <div className="row">
        <Select
          label="Begins with"
          hideLabel
          value={mask.start}
          options={[
            { value: "everything", text: ofLight ? "Everything (paint to hide)" : "Everything" },
            { value: "nothing", text: ofLight ? "Nothing (paint to reveal)" : "Nothing" },
          ]}
          onChange={(v) => masking.start(owner, v as Mask["start"])}
        />
        <Select
          label="Mask shown"
          hideLabel
          value={shown}
          options={ofLight ? views : views.slice(0, 3)}
          onChange={(v) => masking.show(v as MaskView)}
        />
      </div>
      {mask.parts.map((part, k) => {
        const kind = info(part);
        const open = openPart === k;
        const title = part.name || (kind?.title ?? part.part);
        const move = (by: number) => {
          masking.parts(
            owner,
            (all) => {
              const next = all.filter((_, i) => i !== k);
              next.splice(k + by, 0, part);
              return next;
            },
            `Move ${title}`,
          );
          if (open) masking.select(k + by);
        };
        return (
          <div key={k} style={{ display: "grid", gap: 4 }}>
            <div className="part" data-open={open || undefined} role="group" aria-label={`${title}, part ${k + 1}`}>
              <Check
                label={`${title} on`}
                hideLabel
                isSelected={part.on}
                onChange={() => editing.edit(editing.valued({ mask: owner, part: k }, { on: !part.on }), `Switch ${title}`)}
              />
              <Button weight="bare" className="title" aria-expanded={open} onPress={() => masking.select(open ? null : k)}>
                {title}
              </Button>
              <span className="works">
                {whatItDoes(part)}
                {part.invert ? ", inverted" : ""}
              </span>
              <Menu
                label={`What to do with ${title}`}
                choices={[
                  { id: "up", text: "Move up", disabled: k === 0, act: () => move(-1) },
                  { id: "down", text: "Move down", disabled: k === mask.parts.length - 1, act: () => move(1) },
                  {
                    id: "twice",
                    text: "Duplicate",
                    act: () => masking.parts(owner, (all) => [...all.slice(0, k + 1), part, ...all.slice(k + 1)], `Duplicate ${title}`),
                  },
                  ...inShots(part, k),
                ]}
              >
                <Button weight="bare" aria-label={`More for ${title}, part ${k + 1}`}>
                  <Icon name="more" size={14} />
                </Button>
              </Menu>
              <Button
                weight="bare"
                aria-label={`Remove ${title}, part ${k + 1}`}
                onPress={() => {
                  masking.parts(owner, (all) => all.filter((_, i) => i !== k), `Remove ${title}`);
                  if (open) masking.select(null);
                }}
              >
                ×
              </Button>
            </div>
            {open && kind && <PartSettings part={part} title={title} kind={kind} owner={owner} at={k} />}
          </div>
        );
      })}
      <div className="row">
        <Menu label="Add a part" choices={kinds}>
          <Button weight={mask.parts.length === 0 ? "plain" : "bare"}>
            <Icon name="plus" size={14} /> Add a part
          </Button>
        </Menu>
        <Menu label="What to do with the mask" choices={tools}>
          <Button weight="bare">Mask…</Button>
        </Menu>
      </div>
    </Frame>
  );
}
