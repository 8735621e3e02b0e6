import type { ComponentType } from "react";
import type { SettingOf } from "../../../api/client";
import type { HandleProps } from "../../column/settings/registry";

/** What moves a number on the picture. Each is one file here, of the name that the core gives the handle. */
export type NumberHandle = ComponentType<HandleProps<SettingOf<"number">>>;

const modules = import.meta.glob<{ handle?: NumberHandle }>(["./*.tsx", "!./index.tsx"], { eager: true });
const handles = new Map(Object.entries(modules).map(([path, module]) => [/(\w+)\.tsx$/.exec(path)?.[1], module.handle]));

/** The handle that a number asks for, if any is to be shown on the picture. */
export function handleFor(props: HandleProps<SettingOf<"number">>) {
  const Handle = handles.get(props.setting.handle ?? undefined);
  return Handle ? <Handle {...props} /> : null;
}
