import styled from "styled-components";
import { tone } from "./theme";

/** The head of a view that is no bench: its name, what it is, and what can be done on it. */
export const PageBar = styled.header`
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 14px 24px;
  h1 {
    font-size: 17px;
    font-weight: 600;
    letter-spacing: 0.02em;
    color: ${tone.strong};
  }
  p {
    color: ${tone.faint};
    flex: 1;
  }
`;
