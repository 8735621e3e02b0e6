import type { ReactNode } from "react";
import styled from "styled-components";
import { tone } from "./theme";

const Box = styled.div`
  height: 100%;
  display: grid;
  place-content: center;
  text-align: center;
  gap: 10px;
  padding: 24px;
  color: ${tone.faint};
  h2 {
    color: ${tone.strong};
    font-size: 18px;
  }
  p {
    max-width: 46ch;
  }
`;

/** A whole view that only says something. */
export function Message({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <Box role="status">
      <h2>{title}</h2>
      {typeof children === "string" ? <p>{children}</p> : children}
    </Box>
  );
}
