import { FileTrigger } from "react-aria-components";
import { Button } from "../../../../ui/Button";
import { useBench, useNow } from "../../../store/bench";
import { settingView } from "../registry";

/** A file that is kept with the plate. */
export const view = settingView<"file">({
  Row: function FileRow({ setting, value, onChange, onRest }) {
    const { bring } = useBench().files;
    const files = useNow((s) => s.files);
    const name = value as string;
    return (
      <div className="pair">
        <span className="unit" style={{ overflow: "hidden", textOverflow: "ellipsis" }}>
          {name ? (files[name] ?? "missing file") : "none"}
        </span>
        <FileTrigger
          acceptedFileTypes={["image/*", ".exr", ".tif", ".tiff"]}
          onSelect={(list) => {
            const file = list?.[0];
            if (!file) return;
            void bring(file, setting.any_shape).then((kept) => {
              if (!kept) return;
              onChange(kept);
              onRest();
            });
          }}
        >
          <Button>Choose a file…</Button>
        </FileTrigger>
      </div>
    );
  },
});
