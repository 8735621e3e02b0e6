import { useState } from "react";
import styled from "styled-components";
import { Button } from "../../../ui/Button";
import { useFittingName } from "../../../ui/useFittingName";
import { TextField } from "../../../ui/TextField";
import { tone } from "../../../ui/theme";
import { useBench, useNow } from "../../store/bench";
import { lightOwner, matteOwner } from "../../store/rig";
import { matteNow } from "../../store/selectors";
import { scrolling, Section } from "../Section";
import { MaskPanel } from "./MaskPanel";
import { MatteStanding } from "./MatteStanding";

const Column = styled.div`
  ${scrolling}
  display: grid;
  gap: 12px;
  align-content: start;
  header {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 8px;
    align-items: end;
  }
  p {
    color: ${tone.faint};
  }
`;

/** A matte in the column: its name and its mask. */
export function MatteColumn() {
  const { masking, select, catalogue, frames } = useBench();
  const reel = useNow((s) => s.plate.frames > 1);
  const matte = useNow(matteNow);
  // What is still being cut out is not there to be carried.
  const cutting = useNow((s) => s.cutting !== null);
  // A light that stands behind it is what one came from.
  const user = useNow((s) => s.rig.lights.find((light) => light.behind.matte === matteNow(s)?.id)?.id);
  const [name, setName] = useState<string | null>(null);
  const fitting = useFittingName(catalogue.limits.name_length);
  if (!matte) return null;
  const carried = matte.mask.parts.find((part) => part.part === "carried");
  const hinted = carried?.part === "carried" ? carried.hinted : null;
  return (
    <Column role="region" aria-label={`Matte ${matte.name || matte.id}`}>
      <header>
        <TextField
          label="Matte"
          value={name ?? matte.name}
          onChange={setName}
          onDone={(kept) => {
            const next = name === null ? "" : fitting(name);
            if (kept && next && next !== matte.name) masking.renameMatte(matte, next);
            setName(null);
          }}
        />
        <Button onPress={() => select(user === undefined ? "plate" : lightOwner(user))}>Done</Button>
      </header>
      <p>An area of this plate. Choose it under Behind at the top of a light, or add a Matte part to a mask to stay within it.</p>
      {reel && (
        <Section style={{ marginTop: 0, justifyItems: "start" }}>
          {hinted && (
            <Button
              isDisabled={cutting}
              hint="As it is at this frame it blends into the nearest frames on both sides that were made by hand"
              onPress={() => void frames.carry(matte.id, matte.name || matte.id, true)}
            >
              Blend this frame in
            </Button>
          )}
          <Button
            isDisabled={cutting}
            hint="Goes with what it covers, both ways from this frame"
            onPress={() => void frames.carry(matte.id, matte.name || matte.id)}
          >
            {hinted ? "Carry both ways from here" : "Carry over the frames"}
          </Button>
          <p>
            {hinted
              ? `Made by hand at ${hinted.length === 1 ? "frame" : "the frames"} ${hinted.join(", ")}. Where it goes astray, add a part that mends it there and blend that frame in.`
              : "As it is, it stays where it was made; carried, it goes with what it covers."}
          </p>
        </Section>
      )}
      {!reel && <MatteStanding id={matte.id} name={matte.name || matte.id} />}
      <MaskPanel owner={matteOwner(matte.id)} />
    </Column>
  );
}
