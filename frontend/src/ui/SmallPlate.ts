import styled from "styled-components";
import { tone } from "./theme";

/** The small picture of a plate in a list, `faint` where it does not count yet. */
export const SmallPlate = styled.img<{ $faint: boolean }>`
  width: 100%;
  aspect-ratio: 3 / 2;
  object-fit: contain;
  display: block;
  background: ${tone.base};
  opacity: ${(p) => (p.$faint ? 0.4 : 1)};
`;
