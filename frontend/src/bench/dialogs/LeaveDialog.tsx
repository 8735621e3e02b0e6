import { go } from "../../route";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";

/** Asked where the bench is left while something is not saved. */
export function LeaveDialog({ onClose }: { onClose: () => void }) {
  return (
    <Dialog title="Not saved yet" open onClose={onClose}>
      <p>
        The service has not taken your last changes. This browser keeps them, and saves them when you open this plate here again while the
        service runs.
      </p>
      <footer>
        <Button onPress={() => go("/")}>Leave</Button>
        <Button weight="strong" onPress={onClose}>
          Stay
        </Button>
      </footer>
    </Dialog>
  );
}
