import { Select } from "../../../../ui/Select";
import { useNow } from "../../../store/bench";
import { settingView } from "../registry";

/** One of the plate's mattes. */
export const view = settingView("matte", {
  Row: function MatteRow({ setting, value, onChange, onRest }) {
    const mattes = useNow((s) => s.rig.mattes);
    const now = value as string;
    const options = mattes.map((m) => ({ value: m.id, text: m.name || m.id }));
    if (!mattes.some((m) => m.id === now)) {
      options.unshift({ value: now, text: now ? `${now} (missing)` : mattes.length ? "Choose…" : "No matte yet" });
    }
    return (
      <div className="wide">
        <Select
          label={setting.label}
          hideLabel
          value={now}
          options={options}
          onChange={(next) => {
            onChange(next);
            onRest();
          }}
        />
      </div>
    );
  },
});
