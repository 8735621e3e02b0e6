import styled from "styled-components";
import { tone } from "./theme";

/** Something that is good to know. */
export const Note = styled.p`
  color: ${tone.faint};
`;

/** What is wrong, and what to do. */
export const Wrong = styled.p`
  color: ${tone.danger};
  user-select: text;
`;
