import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";
import { useBench, useNow } from "../store/bench";

/** Two windows changed one plate: a choice that has to be made. */
export function ConflictDialog() {
  const { keeping } = useBench();
  const open = useNow((s) => s.conflict !== null);
  return (
    <Dialog title="Changed in another window" open={open} must onClose={() => undefined}>
      <p>
        Another window saved a change to this plate after this one had read it. Nothing is lost: what this window has is kept as a take if
        you show the other's, and the other's stays in the history if you keep this one on top.
      </p>
      <footer>
        <Button onPress={() => void keeping.takeTheirs()}>Show the other window's</Button>
        <Button weight="strong" onPress={keeping.keepMine}>
          Keep this window's on top
        </Button>
      </footer>
    </Dialog>
  );
}
