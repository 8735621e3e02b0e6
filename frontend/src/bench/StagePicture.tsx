import { useEffect, useRef } from "react";
import { ToggleButton } from "react-aria-components";
import styled from "styled-components";
import type { Plate } from "../api/client";
import { focusRing, tone } from "../ui/theme";
import type { Shown } from "./usePreview";

const Frame = styled(ToggleButton)`
  appearance: none;
  padding: 0;
  border: 1px solid ${tone.line};
  border-radius: 2px;
  background: #111;
  overflow: hidden;
  width: 92px;
  canvas {
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

interface Props {
  label: string;
  plate: Plate;
  shown: Shown | undefined;
  selected: boolean;
  onToggle: () => void;
}

/** The live picture of one stage; a click shows it large. */
export function StagePicture({ label, plate, shown, selected, onToggle }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const target = canvas.current;
    const context = target?.getContext("2d");
    if (!target || !context || !shown) return;
    target.width = shown.bitmap.width;
    target.height = shown.bitmap.height;
    context.drawImage(shown.bitmap, 0, 0);
  }, [shown]);
  // Very tall and very wide plates keep a usable shape.
  const ratio = Math.min(3, Math.max(0.8, plate.width / plate.height));
  return (
    <Frame aria-label={`Show ${label} large`} isSelected={selected} onChange={onToggle}>
      <canvas ref={canvas} style={{ aspectRatio: ratio, objectFit: "contain" }} />
    </Frame>
  );
}

/** The mean colour of a picture as CSS, brightened to be seen as a line; grey where it is dark. */
export function meanColour(shown: Shown | undefined): string {
  if (!shown) return tone.faint;
  const canvas = new OffscreenCanvas(1, 1);
  const context = canvas.getContext("2d");
  if (!context) return tone.faint;
  context.drawImage(shown.bitmap, 0, 0, 1, 1);
  const [r = 0, g = 0, b = 0] = context.getImageData(0, 0, 1, 1).data;
  const top = Math.max(r, g, b);
  if (top < 3) return tone.faint;
  const k = 235 / top;
  return `rgb(${Math.round(r * k)} ${Math.round(g * k)} ${Math.round(b * k)})`;
}
