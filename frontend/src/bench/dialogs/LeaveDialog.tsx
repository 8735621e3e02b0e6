import { go } from "../../route";
import { Button } from "../../ui/Button";
import { Dialog } from "../../ui/Dialog";
import { useNow } from "../store/bench";

/** Asked where the bench is left while something is not saved. */
export function LeaveDialog({ onClose }: { onClose: () => void }) {
  const kept = useNow(({ save }) => save.is === "waiting" && save.kept);
  return (
    <Dialog title="Not saved yet" open onClose={onClose}>
      <p>
        The service has not taken your last changes.{" "}
        {kept
          ? "This browser keeps them, and saves them when you open this plate here again while the service runs."
          : "This browser keeps nothing for later, as in a private window: leave, and they are lost."}
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
