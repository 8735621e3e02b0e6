import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";

/** Two windows changed one plate: a choice that has to be made. */
export function ConflictDialog({ open, onTheirs, onMine }: { open: boolean; onTheirs: () => void; onMine: () => void }) {
  return (
    <Dialog title="Changed in another window" open={open} must onClose={() => undefined}>
      <p>
        Another window saved a change to this plate after this one had read it. Nothing is lost: the other state stays in the history either
        way.
      </p>
      <footer>
        <Button onPress={onTheirs}>Show the other window's</Button>
        <Button weight="strong" onPress={onMine}>
          Keep this window's on top
        </Button>
      </footer>
    </Dialog>
  );
}
