import { createGlobalStyle } from "styled-components";

/** Neutral greys, so that colour on the plate can be judged, and one accent: sea-glass. */
export const tone = {
  surround: "#3a3a3a",
  base: "#1d1d1d",
  panel: "#262626",
  raised: "#303030",
  line: "#414141",
  hover: "#3b3b3b",
  faint: "#9a9a9a",
  text: "#dedede",
  strong: "#f6f6f6",
  accent: "#86cdb4",
  onAccent: "#10221b",
  warning: "#e8b56b",
  danger: "#e2857a",
} as const;

/** A text that stays on its line, and ends in dots where it is too long. */
export const oneLine = `min-width: 0; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; unicode-bidi: plaintext;`;

export const focusRing = `outline: 2px solid ${tone.accent}; outline-offset: 1px;`;

export const GlobalStyle = createGlobalStyle`
  *, *::before, *::after { box-sizing: border-box; }
  :root { --scale: 1; }
  html, body, #root { height: 100%; margin: 0; }
  body {
    background: ${tone.base};
    color: ${tone.text};
    font: 400 13px/1.35 "Archivo Variable", system-ui, sans-serif;
    font-variant-numeric: tabular-nums;
    -webkit-font-smoothing: antialiased;
    overflow: hidden;
    user-select: none;
  }
  h1, h2, h3, p { margin: 0; font-weight: 500; }
  :focus-visible { ${focusRing} }
  @media (prefers-reduced-motion: reduce) { * { transition: none !important; animation: none !important; } }
  /* Where the system chooses the colours, what is chosen and what has the keyboard are told by its own. */
  @media (forced-colors: active) {
    [data-selected], [aria-pressed="true"], [aria-checked="true"] { outline: 2px solid Highlight; outline-offset: -2px; }
    :focus-visible, [data-focus-visible] { outline: 3px solid CanvasText !important; outline-offset: 1px; }
    [data-disabled] { color: GrayText !important; opacity: 1 !important; }
    img, canvas { forced-color-adjust: none; }
  }
  @media (prefers-contrast: more) {
    button, input, [role="slider"] { border-color: ${tone.faint}; }
    [data-selected], [aria-pressed="true"] { outline: 2px solid ${tone.accent}; outline-offset: -2px; }
  }
`;
