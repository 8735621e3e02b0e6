import { useState } from "react";
import styled from "styled-components";
import headland from "../../../demo/plates/headland.jpg?url";
import headlandRig from "../../../demo/rigs/headland.json?url";
import rays from "../../../demo/first/rays.jpg";
import shot from "../../../demo/first/shot.jpg";
import whole from "../../../demo/first/whole.jpg";
import { api, said, sendPlate, whyOf, type Rig } from "../api/client";
import { Button } from "../ui/Button";
import { Progress } from "../ui/Progress";
import { tone } from "../ui/theme";
import { Note, Wrong } from "../ui/words";

const Page = styled.main`
  flex: 1;
  overflow: auto;
  display: grid;
  align-content: center;
  justify-items: center;
  gap: 20px;
  padding: 24px;
  h2 {
    font-size: 20px;
    color: ${tone.strong};
  }
`;

const Steps = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(220px, 1fr));
  gap: 20px;
  width: min(1080px, 100%);
  li {
    display: grid;
    gap: 8px;
    align-content: start;
  }
  img {
    width: 100%;
    display: block;
    border-radius: 3px;
  }
  b {
    color: ${tone.strong};
    font-weight: 600;
  }
  p {
    color: ${tone.faint};
  }
`;

const steps = [
  { picture: shot, title: "Bring a picture in", text: "Drop it anywhere in this window. Its file stays as it is, byte for byte." },
  {
    picture: rays,
    title: "Say where light comes from",
    text: "Add a light and drag its source, also outside the frame. The picture shapes it.",
  },
  { picture: whole, title: "Tune it, add more, export", text: "Every light stays live: its strength, reach, colour, mask and blend." },
];

/** The demo plate with its finished rig, as a new plate; its number. */
async function bringDemo(onShare: (share: number) => void): Promise<number> {
  const [picture, rig] = await Promise.all([fetch(headland), fetch(headlandRig)]);
  const file = new File([await picture.blob()], "headland.jpg", { type: "image/jpeg" });
  const plate = await sendPlate(file, onShare, new AbortController().signal);
  const { error } = await api.POST("/api/plates/{plate_id}/revisions", {
    params: { path: { plate_id: plate.id } },
    body: { base: plate.revision, label: "Demo rig", rig: (await rig.json()) as Rig, lead: null },
  });
  if (error) throw new Error(said(error));
  return plate.id;
}

/** What an empty list of plates shows: what can be done, in three pictures, and a demo plate to do it with. */
export function FirstScreen({ reads, onDemo }: { reads: string; onDemo: (plate: number) => void }) {
  const [share, setShare] = useState<number | null>(null);
  const [wrong, setWrong] = useState<string | null>(null);
  const bring = () => {
    setShare(0);
    setWrong(null);
    bringDemo(setShare).then(onDemo, (error: unknown) => {
      setShare(null);
      setWrong(whyOf(error));
    });
  };
  return (
    <Page aria-label="Plates">
      <h2>No plates yet</h2>
      <Steps>
        {steps.map(({ picture, title, text }) => (
          <li key={title}>
            <img src={picture} alt="" draggable={false} />
            <b>{title}</b>
            <p>{text}</p>
          </li>
        ))}
      </Steps>
      {share === null ? (
        <Button weight="strong" onPress={bring}>
          Try it on a demo plate
        </Button>
      ) : (
        <Progress label="Bringing in the demo plate" share={share} />
      )}
      {wrong && <Wrong role="alert">{wrong}</Wrong>}
      <Note>Aurelon reads {reads}.</Note>
    </Page>
  );
}
