import { memo } from "react";
import { Button } from "../../../ui/Button";
import { Icon } from "../../../ui/Icon";

/** Opens the test strip of a setting. */
export const StripButton = memo(function StripButton({ label, onStrip }: { label: string; onStrip: (() => void) | undefined }) {
  if (!onStrip) return null;
  return (
    <Button
      weight="bare"
      className="strip"
      aria-label={`Test strip of ${label}`}
      hint="Test strip: this picture with the setting stepped through"
      onPress={onStrip}
    >
      <Icon name="strip" size={14} />
    </Button>
  );
});
