import styled from "styled-components";
import { tone } from "../../../ui/theme";

/** A layer of drawing over the picture. It lies at the plate's corner and reaches everywhere, so that it moves with the
 * plate and is drawn anew only when it is zoomed. */
export const Layer = styled.svg`
  position: absolute;
  left: 0;
  top: 0;
  width: 1px;
  height: 1px;
  overflow: visible;
  pointer-events: none;
  outline: none;
`;

/** The layer that handles are drawn on. */
export const Overlay = styled(Layer)`
  g[role="slider"],
  g[role="button"] {
    pointer-events: all;
    cursor: move;
    outline: none;
    touch-action: none;
  }
  g[role="button"]:focus-visible .line {
    stroke: ${tone.accent};
    stroke-width: 2.5;
  }
  .halo {
    fill: none;
    stroke: rgb(0 0 0 / 0.55);
    stroke-width: 3;
  }
  .line {
    fill: none;
    stroke: ${tone.strong};
    stroke-width: 1.25;
  }
  .full {
    fill: ${tone.strong};
  }
  .dash {
    fill: none;
    stroke: ${tone.strong};
    stroke-opacity: 0.55;
    stroke-dasharray: 2 5;
  }
  /* Plain: a large ring of dashes takes a browser as long to draw as the rest of the page. */
  .ring {
    fill: none;
    stroke: ${tone.strong};
    stroke-opacity: 0.4;
  }
  .grip {
    fill: transparent;
    stroke: none;
  }
  .dot {
    fill: ${tone.strong};
    stroke: rgb(0 0 0 / 0.6);
  }
  g[role="slider"]:focus-visible .line,
  g[role="slider"]:focus-visible .dot {
    stroke: ${tone.accent};
    stroke-width: 2.5;
  }
  text {
    visibility: hidden;
    fill: ${tone.strong};
    font-size: 12px;
    paint-order: stroke;
    stroke: rgb(0 0 0 / 0.7);
    stroke-width: 3px;
  }
  text.always,
  g[role="slider"]:hover text,
  g[role="slider"]:focus-visible text {
    visibility: visible;
  }
`;
