import styled from "styled-components";

/** Buttons below the settings of a stage. */
export const Tools = styled.div`
  display: flex;
  gap: 6px;
  margin: 6px 0 2px;
`;
