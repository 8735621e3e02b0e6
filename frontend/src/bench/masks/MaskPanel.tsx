import styled from "styled-components";
import type { GroupInfo, Mask, MaskPart, PartInfo, Plate } from "../../api/client";
import { Button } from "../../ui/Button";
import { Check } from "../../ui/Check";
import { Icon } from "../../ui/Icon";
import { Menu, type Choice } from "../../ui/Menu";
import { Select } from "../../ui/Select";
import { tone } from "../../ui/theme";
import { useThings } from "../things";
import type { MaskActions } from "./maskActions";
import { PartSettings } from "./PartSettings";
import { toolsOf, valueIn } from "./partTools";
import type { Masking, MaskView } from "./useMasking";

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
    grid-template-columns: auto 1fr auto auto auto;
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
    min-height: 22px;
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

interface Props {
  plate: Plate;
  mask: Mask;
  /** A matte is an area, so nothing of it is shown as light. */
  ofLight: boolean;
  parts: PartInfo[];
  common: GroupInfo;
  brushGroup: GroupInfo;
  masking: Masking;
  actions: MaskActions;
}

const works: Record<string, string> = { add: "adds", subtract: "subtracts", intersect: "intersects" };
const views: { value: MaskView; text: string }[] = [
  { value: "off", text: "Mask hidden" },
  { value: "over", text: "Overlay on the picture" },
  { value: "alone", text: "Mask only, in grey" },
  { value: "light", text: "Light through the mask" },
];

/** A mask: how it begins, its parts, and the part that is worked on. */
export function MaskPanel({ plate, mask, ofLight, parts, common, brushGroup, masking, actions }: Props) {
  const { mattes } = useThings();
  const info = (part: MaskPart) => parts.find((p) => p.name === part.part);
  const whatItDoes = (part: MaskPart) => {
    const { matte } = toolsOf(info(part));
    if (!matte) return works[part.combine];
    const referred = valueIn(part, matte);
    const side = info(part)?.group.settings.find((s) => s.name === "side");
    const name = mattes.find((m) => m.id === referred)?.name ?? (referred ? "a matte that is not there" : "no matte yet");
    return `${side ? String(valueIn(part, side)) : ""} ${name}`;
  };
  const kinds: Choice[] = parts.map((p) => ({ id: p.name, text: p.title, about: p.summary, act: () => masking.add(p.name) }));
  const tools: Choice[] = [
    { id: "invert", text: "Invert", about: "Swaps what is masked and what is not", act: actions.onInvert },
    ...actions.copies.map((c) => ({ id: c.id, text: `Copy to ${c.text}`, act: c.act })),
    { id: "clear", text: "Remove all parts", disabled: mask.parts.length === 0, act: () => actions.onParts(() => [], "Clear the mask") },
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
          onChange={(v) => actions.onStart(v as Mask["start"])}
        />
        <Select
          label="Mask shown"
          hideLabel
          value={masking.view}
          options={ofLight ? views : views.slice(0, 3)}
          onChange={(v) => masking.setView(v as MaskView)}
        />
      </div>
      {mask.parts.map((part, k) => {
        const kind = info(part);
        const open = masking.index === k;
        const title = part.name || (kind?.title ?? part.part);
        const move = (by: number) => {
          actions.onParts((all) => {
            const next = all.filter((_, i) => i !== k);
            next.splice(k + by, 0, part);
            return next;
          }, `Move ${title}`);
          if (open) masking.select(k + by);
        };
        return (
          <div key={k} style={{ display: "grid", gap: 4 }}>
            <div className="part" data-open={open || undefined} role="group" aria-label={`${title}, part ${k + 1}`}>
              <Check
                label={`${title} on`}
                hideLabel
                isSelected={part.on}
                onChange={() => actions.onParts((all) => all.map((p, i) => (i === k ? { ...p, on: !p.on } : p)), `Switch ${title}`)}
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
                    act: () => actions.onParts((all) => [...all.slice(0, k + 1), part, ...all.slice(k + 1)], `Duplicate ${title}`),
                  },
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
                  actions.onParts((all) => all.filter((_, i) => i !== k), `Remove ${title}`);
                  if (open) masking.select(null);
                }}
              >
                ×
              </Button>
            </div>
            {open && kind && (
              <PartSettings
                plate={plate}
                part={part}
                title={title}
                kind={kind}
                common={common}
                brushGroup={brushGroup}
                masking={masking}
                at={k}
                actions={actions}
              />
            )}
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
