import { Button } from "../../../../ui/Button";
import { NumberField } from "../../../../ui/NumberField";
import { settingView } from "../registry";
import { StripButton } from "../StripButton";

/** A seed: another one at a press, or by its number. */
export const view = settingView("seed", {
  Row: ({ setting, value, onChange, onRest, onStrip }) => {
    const now = value as number;
    const once = (next: number) => {
      onChange(next);
      onRest();
    };
    return (
      <>
        <StripButton label={setting.label} onStrip={onStrip} />
        <Button hint="Another pattern" onPress={() => once((now + 1) % (setting.high + 1))}>
          Another
        </Button>
        <div className="value">
          <NumberField
            label={`${setting.label}, value`}
            value={now}
            low={0}
            high={setting.high}
            step={1}
            shown={String}
            read={(text) => (/^\d+$/.test(text.trim()) ? Number(text) : null)}
            onCommit={once}
          />
        </div>
      </>
    );
  },
});
