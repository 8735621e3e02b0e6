import styled from "styled-components";
import { tone } from "../../../ui/theme";

/** The layer that handles are drawn on. */
export const Overlay = styled.svg`
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
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
  .dash {
    fill: none;
    stroke: ${tone.strong};
    stroke-opacity: 0.55;
    stroke-dasharray: 2 5;
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
  }
  g[role="slider"]:hover text,
  g[role="slider"]:focus-visible text {
    visibility: visible;
  }
  text {
    fill: ${tone.strong};
    font-size: 11px;
    paint-order: stroke;
    stroke: rgb(0 0 0 / 0.7);
    stroke-width: 3px;
  }
`;
