import { useEffect, useMemo, useRef } from "react";
import styled from "styled-components";
import type { MaskPart, Owner, PartInfo } from "../../../api/client";
import { Button, Toggle } from "../../../ui/Button";
import { Progress } from "../../../ui/Progress";
import { tone } from "../../../ui/theme";
import { useBench, useNow } from "../../store/bench";
import { brushNow } from "../../store/masking";
import { toolsOf } from "../../store/partTools";
import type { Place } from "../../store/rig";
import { LiveGroup, type LiveTools } from "../settings/LiveGroup";
import { BrushSettings } from "./BrushSettings";

const Open = styled.div`
  padding: 4px 0 6px 8px;
  border-left: 2px solid ${tone.accent};
  display: grid;
  gap: 6px;
  scroll-margin: 40px 0 16px;
  .note {
    color: ${tone.faint};
    font-size: 12px;
    line-height: 1.3;
  }
`;

interface Props {
  part: MaskPart;
  title: string;
  kind: PartInfo;
  owner: Owner;
  /** Which part of the mask it is. */
  at: number;
}

/** The part of a mask that is worked on: its tools, the brush, its settings. Comes into view when it is taken up. */
export function PartSettings({ part, title, kind, owner, at }: Props) {
  const { masking, catalogue } = useBench();
  const { box, strokes, matte } = toolsOf(kind);
  const by = useNow((s) => (s.hand.tool.is === "part" ? s.hand.tool.by : null));
  const erasing = useNow((s) => brushNow(s).erase);
  const cutting = useNow((s) => s.cutting);
  const frame = useRef<HTMLDivElement>(null);
  useEffect(() => {
    frame.current?.scrollIntoView({ block: "nearest" });
  }, []);
  const place = useMemo<Place>(() => ({ mask: owner, part: at }), [owner, at]);
  const tools = useMemo<LiveTools>(
    () => ({
      onChange: (name, value) => masking.part(owner, at, name, value),
      onRest: (label) => masking.partRest(`${title}: ${label}`),
      onReset: (s) => masking.partReset(owner, at, s),
    }),
    [masking, owner, at, title],
  );
  const brush = (erase: boolean) => {
    masking.by(box ? "hints" : "brush");
    masking.setBrush({ erase });
  };
  const hides = part.combine === "subtract";
  const light = owner.of === "light";
  const painting = hides ? (light ? "Hide light" : "Take away") : light ? "Bring light in" : "Add";
  const undoing = hides ? (light ? "Bring light back" : "Give back") : light ? "Take light off" : "Take off";
  return (
    <Open ref={frame} data-part>
      {cutting && (
        <div className="row" style={{ display: "grid", gridTemplateColumns: "1fr auto" }}>
          <Progress label="Cutting the subject out" share={cutting.share} />
          <Button onPress={cutting.stop}>Cancel</Button>
        </div>
      )}
      {box && (
        <div className="row">
          <Toggle hint="Draw a loose box round the subject" isSelected={by === "box"} onChange={(now) => masking.by(now ? "box" : "hints")}>
            Box
          </Toggle>
          <Toggle hint="Paint over what belongs to the subject" isSelected={by === "hints" && !erasing} onChange={() => brush(false)}>
            Mark in
          </Toggle>
          <Toggle
            hint="Paint over what does not belong to it (hold Alt)"
            isSelected={by === "hints" && erasing}
            onChange={() => brush(true)}
          >
            Mark out
          </Toggle>
        </div>
      )}
      {strokes && !box && (
        <div className="row">
          <Toggle hint={hides ? "Paints the light away" : "Paints the light in"} isSelected={!erasing} onChange={() => brush(false)}>
            {painting}
          </Toggle>
          <Toggle
            hint={
              hides
                ? "Gives the light back, whatever took it away; hold Alt to switch"
                : "Takes off what was painted here; hold Alt to switch"
            }
            isSelected={erasing}
            onChange={() => brush(true)}
          >
            {undoing}
          </Toggle>
        </div>
      )}
      {kind.picked && (
        <div className="row">
          <Toggle hint={kind.instruction} isSelected={by === "click"} onChange={(now) => masking.by(now ? "click" : "handles")}>
            Pick on the picture
          </Toggle>
        </div>
      )}
      {strokes && <BrushSettings {...(box ? { only: (s) => s.name === "size" } : {})} />}
      {(kind.offered ? [kind.group, catalogue.part_common] : [catalogue.part_common]).map((group) => (
        <LiveGroup key={group.name} place={place} group={group} name={`${group.name}.${kind.name}`} tools={tools} />
      ))}
      {matte && (
        <div className="row">
          <Button onPress={masking.newSubject}>New matte</Button>
        </div>
      )}
      {strokes && (
        <p className="note">
          Size: comma and full stop, or Shift and the wheel. Hardness: the same keys with Shift, or Shift, Alt and the wheel. Hold Shift for
          a straight stroke, Alt to switch between painting and erasing.
        </p>
      )}
    </Open>
  );
}
