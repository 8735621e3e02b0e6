import styled from "styled-components";
import { Button } from "./Button";
import { Dialog } from "./Dialog";
import { Note } from "./words";

const List = styled.div`
  display: grid;
  gap: 6px;
  max-height: 50vh;
  overflow: auto;
  padding: 3px;
`;

interface Props {
  title: string;
  note: string;
  layers: string[];
  onPick: (layer: string) => void;
  onClose: () => void;
}

/** Which of the pictures in a file is meant. */
export function LayerDialog({ title, note, layers, onPick, onClose }: Props) {
  return (
    <Dialog title={title} open onClose={onClose}>
      <Note>{note}</Note>
      <List role="group" aria-label="Layers">
        {layers.map((layer) => (
          <Button key={layer} onPress={() => onPick(layer)}>
            {layer}
          </Button>
        ))}
      </List>
    </Dialog>
  );
}
