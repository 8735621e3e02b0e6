import { useRef, useState, type ReactElement } from "react";
import { Button as AriaButton } from "react-aria-components";
import styled from "styled-components";
import { thumbnailOf, type Plate } from "../api/client";
import { Button } from "../ui/Button";
import { Check } from "../ui/Check";
import { Hint } from "../ui/Hint";
import { Icon } from "../ui/Icon";
import { ContextMenu, Menu, type Choice } from "../ui/Menu";
import { TextField } from "../ui/TextField";
import { useLongPress } from "../ui/useLongPress";
import { focusRing, oneLine, tone } from "../ui/theme";

const Card = styled.article`
  display: grid;
  min-width: 0;
  gap: 6px;
`;

const Picture = styled(AriaButton)`
  appearance: none;
  padding: 0;
  border: 0;
  position: relative;
  aspect-ratio: 3 / 2;
  background: ${tone.panel};
  overflow: hidden;
  /* Seen until the picture lies over it. */
  &::before {
    content: "being made…";
    position: absolute;
    inset: 0;
    display: grid;
    place-items: center;
    color: ${tone.faint};
    font-size: 12px;
  }
  img {
    position: relative;
    width: 100%;
    height: 100%;
    object-fit: contain;
    display: block;
  }
  &[data-hovered] {
    box-shadow: 0 0 0 1px ${tone.faint};
  }
  &[data-focus-visible] {
    ${focusRing}
  }
`;

const Line = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto auto;
  gap: 4px;
  align-items: center;
  min-height: 30px;
  h2 {
    font-size: 14px;
    color: ${tone.strong};
    ${oneLine}
  }
  p {
    color: ${tone.faint};
    font-size: 12px;
  }
`;

const LONG = 24; // characters from which a name may not fit under its picture

/** A picture whose name may be cut short says it whole. */
function Named({ name, children }: { name: string; children: ReactElement }) {
  return name.length > LONG ? <Hint text={name}>{children}</Hint> : children;
}

interface Props {
  plate: Plate;
  ticked: boolean;
  onTick: () => void;
  onOpen: () => void;
  onDelete: () => void;
  onRename: (name: string) => void;
  /** Its file may hold other pictures; null where it cannot. */
  onLayers: (() => void) | null;
}

/** A plate with the light that is on it. */
export function PlateCard({ plate, ticked, onTick, onOpen, onDelete, onRename, onLayers }: Props) {
  const [name, setName] = useState<string | null>(null);
  const [menu, setMenu] = useState(false);
  // What was kept last shows at once; that of the present state follows when it is made.
  const [asked, setAsked] = useState(false);
  const ask = () => setAsked(true);
  const card = useRef<HTMLElement | null>(null);
  const choices: Choice[] = [
    { id: "open", text: "Open on the bench", act: onOpen },
    { id: "rename", text: "Rename", act: () => setName(plate.name) },
    ...(onLayers ? [{ id: "layers", text: "Other layers of its file…", act: onLayers }] : []),
    { id: "delete", text: "Delete", act: onDelete },
  ];
  const lights = plate.lights === 1 ? "1 light" : `${plate.lights} lights`;
  const longPress = useLongPress(() => setMenu(true));
  return (
    <Card
      ref={card}
      {...longPress}
      aria-label={plate.name}
      onContextMenu={(event) => {
        event.preventDefault();
        setMenu(true);
      }}
    >
      <Named name={plate.name}>
        <Picture aria-label={`Open ${plate.name}`} onPress={onOpen}>
          <img
            src={asked ? thumbnailOf(plate) : `${thumbnailOf(plate)}&at_once=true`}
            alt=""
            draggable={false}
            onLoad={ask}
            onError={ask}
          />
        </Picture>
      </Named>
      <Line>
        {name === null ? (
          <div>
            <h2 title={plate.name} onClick={onOpen}>
              {plate.name}
            </h2>
            <p>
              {plate.width} × {plate.height} · {plate.frames > 0 && `${plate.frames} frames · `}
              {lights}
            </p>
          </div>
        ) : (
          <TextField
            label="Name of the plate"
            hideLabel
            autoFocus
            value={name}
            onChange={setName}
            onDone={(kept) => {
              const next = name.trim();
              setName(null);
              if (kept && next && next !== plate.name) onRename(next);
            }}
          />
        )}
        <Check label={`Tick ${plate.name}`} hideLabel isSelected={ticked} onChange={onTick} />
        <Menu label={`What to do with ${plate.name}`} choices={choices}>
          <Button weight="bare" aria-label={`More for ${plate.name}`}>
            <Icon name="more" />
          </Button>
        </Menu>
      </Line>
      <ContextMenu label={`What to do with ${plate.name}`} choices={choices} anchor={card} open={menu} onClose={() => setMenu(false)} />
    </Card>
  );
}
