import styled, { css } from "styled-components";
import { tone } from "../../ui/theme";

/** The height of the line for help, in px: what the column leaves free below its last setting. */
export const HELP_HEIGHT = 52;

/** What scrolls in the column. The room at its end is for the line of help, which comes and goes without moving anything. */
export const scrolling = css`
  padding: 12px 12px ${HELP_HEIGHT + 12}px;
  scroll-padding-bottom: ${HELP_HEIGHT + 8}px;
  height: 100%;
  overflow: hidden auto;
`;

export const heading = css`
  h3 {
    font-size: 13px;
    font-weight: 600;
    color: ${tone.strong};
  }
`;

/** A heading in the column with what is said under it. */
export const Section = styled.section`
  display: grid;
  gap: 6px;
  margin-top: 18px;
  ${heading}
  p {
    color: ${tone.faint};
    font-size: 12px;
    line-height: 1.3;
  }
`;
