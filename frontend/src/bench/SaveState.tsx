import styled from "styled-components";
import { tone } from "../ui/theme";
import { useNow } from "./store/bench";
import type { SaveState as Save } from "./store/state";

const Word = styled.span`
  color: ${tone.faint};
  margin-left: 8px;
  white-space: nowrap;
`;

/* Over the picture's upper edge, where it is seen and moves nothing. */
const Banner = styled.p`
  grid-area: picture;
  justify-self: center;
  align-self: start;
  z-index: 20;
  max-width: 64ch;
  margin: 10px;
  padding: 8px 14px;
  border: 1px solid ${tone.line};
  border-left: 3px solid ${tone.warning};
  border-radius: 4px;
  background: ${tone.raised};
  color: ${tone.strong};
  user-select: text;
`;

const SAVING: Save = { is: "saving" };

function stateNow(s: { asking: number; save: Save }): Save {
  return s.asking > 0 && s.save.is === "saved" ? SAVING : s.save;
}

/** Whether everything is kept, in a word. */
export function SaveState() {
  const { is } = useNow(stateNow);
  if (is === "waiting") return null;
  return (
    <Word role="status" aria-label="Save state">
      {is === "saved" ? "Saved" : "Saving…"}
    </Word>
  );
}

/** Why something is not kept, as long as it is not. */
export function SaveTrouble() {
  const save = useNow(stateNow);
  if (save.is !== "waiting") return null;
  return (
    <Banner role="alert" aria-label="Save state">
      Not saved: {save.why}
    </Banner>
  );
}
