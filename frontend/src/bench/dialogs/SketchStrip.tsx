import { useEffect, useRef, type KeyboardEvent } from "react";
import styled from "styled-components";
import type { SketchCell } from "../../api/client";
import { Button } from "../../ui/Button";
import { PictureChoice } from "../../ui/PictureChoice";
import { Progress } from "../../ui/Progress";
import { Select } from "../../ui/Select";
import { tone } from "../../ui/theme";
import { useBench, useNow } from "../store/bench";
import { lightNow } from "../store/selectors";

const Frame = styled.section`
  grid-area: desk;
  z-index: 40;
  display: grid;
  grid-template-columns: 196px minmax(0, 1fr) auto;
  gap: 10px;
  align-items: center;
  padding: 6px 12px;
  background: ${tone.base};
  border-top: 1px solid #111;
  h2 {
    font-size: 14px;
    color: ${tone.strong};
  }
  p {
    color: ${tone.faint};
    line-height: 1.25;
  }
  p[role="alert"] {
    color: ${tone.warning};
  }
  .tools {
    display: grid;
    gap: 4px;
    justify-items: stretch;
  }
`;

const Cells = styled.div`
  display: flex;
  gap: 4px;
  min-width: 0;
  overflow-x: auto;
  button {
    flex: none;
    width: 98px;
    padding: 3px;
  }
  img {
    height: 52px;
    object-fit: cover;
  }
`;

const ANY = "any";

/** Under a picture on which light is sketched: lights that fall there, the best first. Pointing at one, or the arrow keys, put it on
 * the bench; a press takes it. */
export function SketchStrip() {
  const { sketching, now } = useBench();
  const { answers, share, wrong, tried, strokes, light } = useNow((s) => s.sketch);
  const selected = useNow(lightNow);
  const cells = useRef<HTMLDivElement>(null);
  useEffect(() => () => sketching.tryOut(null), [sketching]);
  const own = selected && sketching.sketched(selected.kind) ? selected : undefined;
  const key = (event: KeyboardEvent) => {
    const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (step === undefined) return;
    const buttons = [...(cells.current?.querySelectorAll("button") ?? [])];
    const at = buttons.findIndex((one) => one === document.activeElement);
    buttons[Math.min(buttons.length - 1, Math.max(0, at + step))]?.focus();
    event.preventDefault();
    event.stopPropagation();
  };
  const text =
    wrong ??
    (strokes.length === 0
      ? "Paint roughly where light should fall; with Alt, where it should not."
      : share === null && answers.length === 0
        ? "No light was found that falls there; paint it otherwise."
        : "Point at one to see it on the bench; a press takes it.");
  return (
    <Frame aria-label="Show me where">
      <div>
        <h2>Show me where</h2>
        <p role={wrong ? "alert" : "status"}>{text}</p>
        {share !== null && <Progress label="Looking for lights" share={share} />}
      </div>
      <Cells ref={cells} role="group" aria-label="Lights that fall there" onKeyDown={key} onPointerLeave={() => sketching.tryOut(null)}>
        {answers.map((answer: SketchCell, index) => (
          <span
            key={index}
            onPointerEnter={() => sketching.tryOut(answer)}
            onFocus={() => sketching.tryOut(answer)}
            onBlur={() => now().sketch.tried === answer && sketching.tryOut(null)}
          >
            <PictureChoice
              title={`${index + 1} ${answer.title}`}
              picture={answer.picture}
              current={answer === tried}
              onPick={() => sketching.take(answer)}
            />
          </span>
        ))}
      </Cells>
      <div className="tools">
        {own && (
          <Select
            label="Asks for"
            hideLabel
            value={light ?? ANY}
            options={[
              { value: own.id, text: own.name || own.id },
              { value: ANY, text: "Any kind" },
            ]}
            onChange={(chosen) => sketching.of(chosen === ANY ? null : chosen)}
          />
        )}
        <Button isDisabled={strokes.length === 0} hint="Takes the whole sketch away" onPress={sketching.clear}>
          Clear
        </Button>
        <Button weight="strong" hint="Puts the brush down; the sketch is kept" onPress={sketching.close}>
          Done
        </Button>
      </div>
    </Frame>
  );
}
