import { FileTrigger } from "react-aria-components";
import type { SettingInfo } from "../api/client";
import { Button } from "../ui/Button";
import { Select } from "../ui/Select";
import type { SettingValue } from "./rig";
import { useThings } from "./things";

/** A setting that names a matte, or a picture that is kept with the plate. */
export function ReferenceRow({ setting, value, onChange }: { setting: SettingInfo; value: string; onChange: (value: SettingValue) => void }) {
  const { mattes, files, bring } = useThings();
  if (setting.kind === "matte") {
    const options = mattes.map((m) => ({ value: m.id, text: m.name }));
    if (!mattes.some((m) => m.id === value)) options.unshift({ value, text: value ? `${value}: not there` : mattes.length ? "Choose…" : "No matte yet" });
    return (
      <div className="wide">
        <Select label={setting.label} hideLabel value={value} options={options} onChange={onChange} />
      </div>
    );
  }
  return (
    <div className="pair" style={{ gridTemplateColumns: "1fr auto" }}>
      <span className="unit" style={{ overflow: "hidden", textOverflow: "ellipsis" }}>
        {value ? (files[value] ?? "a file that is not here") : "none"}
      </span>
      <FileTrigger
        acceptedFileTypes={["image/*", ".exr", ".tif", ".tiff"]}
        onSelect={(list) => {
          const file = list?.[0];
          if (file) void bring(file, setting.unit === "pass").then((name) => name && onChange(name));
        }}
      >
        <Button>From a file…</Button>
      </FileTrigger>
    </div>
  );
}
