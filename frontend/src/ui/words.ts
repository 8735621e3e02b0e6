import styled from "styled-components";
import { tone } from "./theme";

/** Something that is good to know. */
export const Note = styled.p`
  color: ${tone.faint};
`;

/** For a screen reader alone. */
export const Unseen = styled.span`
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
`;

/** What is wrong, and what to do. */
export const Wrong = styled.p`
  color: ${tone.danger};
  user-select: text;
`;
