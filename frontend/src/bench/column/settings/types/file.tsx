import { useState } from "react";
import { FileTrigger } from "react-aria-components";
import { Button } from "../../../../ui/Button";
import { LayerDialog } from "../../../../ui/LayerDialog";
import { useBench, useNow } from "../../../store/bench";
import { settingView } from "../registry";

/** A file that is kept with the plate. */
export const view = settingView("file", {
  Row: function FileRow({ setting, value, onChange, onRest }) {
    const { bring } = useBench().files;
    const files = useNow((s) => s.files);
    const name = value as string;
    const [several, setSeveral] = useState<{ file: File; layers: string[] } | null>(null);
    const take = (file: File, layer?: string) =>
      void bring(file, setting.any_shape, layer).then((kept) => {
        if (!kept) return;
        onChange(kept.name);
        onRest();
        setSeveral(layer === undefined && kept.layers.length > 1 ? { file, layers: kept.layers } : null);
      });
    return (
      <div className="pair">
        <span className="file" title={name ? files[name] : undefined}>
          {name ? (files[name] ?? "missing file") : "none"}
        </span>
        <FileTrigger
          acceptedFileTypes={["image/*", ".exr", ".ora", ".tif", ".tiff"]}
          onSelect={(list) => {
            const file = list?.[0];
            if (file) take(file);
          }}
        >
          <Button>Choose a file…</Button>
        </FileTrigger>
        {several && (
          <LayerDialog
            title={`Layers of ${several.file.name}`}
            note="Which of them is meant? Until one is chosen it is the first, or the whole."
            layers={several.layers}
            onPick={(layer) => take(several.file, layer)}
            onClose={() => setSeveral(null)}
          />
        )}
      </div>
    );
  },
});
