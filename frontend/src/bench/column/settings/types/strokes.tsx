import { Button } from "../../../../ui/Button";
import { isEmpty, ListRow } from "../ListRow";
import { settingView } from "../registry";

/** Strokes: painted on the picture. */
export const view = settingView<"strokes">({
  Row: ({ value, onReset, onPaint }) => (
    <ListRow value={value}>
      {onPaint && (
        <Button hint="Paint on the picture; Escape ends it" onPress={onPaint}>
          Paint
        </Button>
      )}
      <Button weight="bare" isDisabled={isEmpty(value)} onPress={onReset}>
        Clear
      </Button>
    </ListRow>
  ),
});
