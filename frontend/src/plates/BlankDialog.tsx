import { useState } from "react";
import styled from "styled-components";
import { api, said, type Blank, type GroupInfo, type Plate } from "../api/client";
import { SettingGroup } from "../bench/column/settings/SettingGroup";
import { Button } from "../ui/Button";
import { Dialog } from "../ui/Dialog";
import { TextField } from "../ui/TextField";
import { useNotices } from "../ui/Notices";

const Swatch = styled.div`
  height: 120px;
  border-radius: 3px;
`;

/** A new blank plate: its size, and a backdrop of two colours. */
export function BlankDialog({
  group,
  first,
  open,
  onMade,
  onClose,
}: {
  group: GroupInfo;
  first: Blank;
  open: boolean;
  onMade: (plate: Plate) => void;
  onClose: () => void;
}) {
  const { warn } = useNotices();
  const [values, setValues] = useState(first);
  const [name, setName] = useState("");
  const make = async () => {
    const { data, error } = await api.POST("/api/plates/blank", { body: { ...values, name: name.trim() || group.label } });
    if (data) onMade(data);
    else warn(said(error));
  };
  // A picture of it: where CSS has 0 degrees up and turns clockwise, here 0 is right and 90 up.
  const preview = `linear-gradient(${90 - values.angle}deg, ${values.begin}, ${values.end})`;
  return (
    <Dialog title="New blank plate" open={open} onClose={onClose}>
      <p>{group.help}</p>
      <TextField label="Name" value={name} placeholder={group.label} onChange={setName} />
      <Swatch style={{ background: preview }} role="img" aria-label="The backdrop" />
      <SettingGroup
        plate={values}
        group={group}
        values={{ ...values }}
        onChange={(key, value) => setValues((now) => ({ ...now, [key]: value }))}
        onRest={() => undefined}
        onReset={(s) => setValues((now) => ({ ...now, [s.name]: s.default }))}
      />
      <footer>
        <Button onPress={onClose}>Cancel</Button>
        <Button weight="strong" onPress={() => void make()}>
          Create
        </Button>
      </footer>
    </Dialog>
  );
}
