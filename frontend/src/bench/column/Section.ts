import styled, { css } from "styled-components";
import { tone } from "../../ui/theme";

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
