import { useCallback } from "react";
import { ToggleButton } from "react-aria-components";
import styled from "styled-components";
import type { Stage } from "../../api/client";
import { focusRing, tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";

const Frame = styled(ToggleButton)`
  appearance: none;
  padding: 0;
  border: 1px solid ${tone.line};
  border-radius: 2px;
  background: #111;
  overflow: hidden;
  width: 92px;
  img {
    display: block;
    width: 100%;
  }
  &[data-hovered] {
    border-color: ${tone.faint};
  }
  &[data-selected] {
    border-color: ${tone.accent};
    box-shadow: 0 0 0 1px ${tone.accent};
  }
  &[data-focus-visible] {
    ${focusRing}
  }
`;

/** The live picture of one stage; a click shows it large. */
export function StagePicture({ stage, label }: { stage: Stage; label: string }) {
  const { now, stages, show } = useBench();
  const large = useNow((s) => s.large === stage);
  const { plate } = now();
  const attach = useCallback((place: HTMLImageElement | null) => stages.attach(stage, place), [stages, stage]);
  // Very tall and very wide plates keep a usable shape.
  const ratio = Math.min(3, Math.max(0.8, plate.width / plate.height));
  return (
    <Frame aria-label={`Show ${label} large`} isSelected={large} onChange={(now) => show(now ? stage : null)}>
      <img ref={attach} alt="" draggable={false} style={{ aspectRatio: ratio, objectFit: "contain" }} />
    </Frame>
  );
}
