import { createElement, type ComponentType, type ReactNode } from "react";
import type { Edit, Plate, SettingInfo, SettingOf, Stage } from "../../../api/client";
import type { Spot } from "../../store/places";
import type { Place } from "../../store/rig";
import type { Size } from "../units";
import type { Placement } from "../../picture/view";

/** What a row can have done beyond its own value. */
export interface RowTools {
  plate: Size;
  onChange: (value: unknown) => void;
  onRest: () => void;
  onReset: () => void;
  onStrip?: (() => void) | undefined;
  onBringIntoView?: ((place: Spot) => void) | undefined;
  /** One more of a list that the core makes: a point of light, a quad. */
  onAdd?: (() => void) | undefined;
  /** Leaves those of a list alone, without what is found beside them. */
  onAlone?: (() => void) | undefined;
  /** Takes the brush up, or puts it down, for strokes of light. */
  onPaint?: (() => void) | undefined;
  /** What sets its keys over the frames of a reel. */
  keys?: ReactNode;
}

export interface RowProps<S extends SettingInfo = SettingInfo> extends RowTools {
  setting: S;
  value: unknown;
}

/** What a handle on the picture is given. `values` are those of its stage that it depends on. */
export interface HandleProps<S extends SettingInfo = SettingInfo> {
  plate: Plate;
  placement: Placement;
  /** Where the setting stands in the rig. */
  place: Place;
  setting: S;
  value: unknown;
  values: Record<string, unknown>;
  /** How many of its like come before it, so that handles never lie on one another. */
  turn: number;
  /** It is one of several of its like, and has to say which. */
  labelled: boolean;
  /** Directions of the picture's own straight edges, for what snaps to them. */
  edges: number[];
  onChange: (value: unknown) => void;
  /** The value is to be kept; `label` says what was done where that is not the setting's own name. */
  onRest: (label?: string) => void;
  onReset: () => void;
}

/** A setting of a light to which one more is to be added; `middle` is the place in the middle of what is on the screen. */
export interface Adding {
  light: string;
  stage: Stage;
  setting: string;
  middle: Spot | null;
}

/** How a type of setting is shown: its row in the column, and what moves it on the picture. A handle that is no part of
 * the common overlay lies over it by itself. */
export interface SettingView<S extends SettingInfo = SettingInfo> {
  Row: ComponentType<RowProps<S>>;
  Handle?: ComponentType<HandleProps<S>>;
  apart?: boolean;
  /** Lies under other handles. */
  under?: boolean;
  /** Nothing to show in the column. */
  quiet?: boolean;
  /** It can follow what is under it in the picture, over the frames of a reel. */
  follows?: boolean;
  /** The edit that adds one more to a list that the core makes; null where none can be added now. */
  adding?: (what: Adding) => Edit | null;
  /** The edit that leaves those of a light's list alone, without what is found beside them. */
  alone?: (light: string) => Edit;
}

interface Module {
  view: SettingView;
}

const modules = import.meta.glob<Module>("./types/*.tsx", { eager: true });
const views = new Map(Object.entries(modules).map(([path, module]) => [/(\w+)\.tsx$/.exec(path)?.[1], module.view]));

/** How a setting is shown, by its type. Each type is one file in `types/`, of the type's name. */
export function viewOf(setting: SettingInfo): SettingView | undefined {
  return views.get(setting.type);
}

function isOf<T extends SettingInfo["type"]>(setting: SettingInfo, type: T): setting is SettingOf<T> {
  return setting.type === type;
}

/** Declares how a type is shown; its parts are given settings of that type alone. */
export function settingView<T extends SettingInfo["type"]>(type: T, view: SettingView<SettingOf<T>>): SettingView {
  const { Row, Handle, ...rest } = view;
  const result: SettingView = {
    ...rest,
    Row: ({ setting, ...props }) => (isOf(setting, type) ? createElement(Row, { ...props, setting }) : null),
  };
  if (Handle) result.Handle = ({ setting, ...props }) => (isOf(setting, type) ? createElement(Handle, { ...props, setting }) : null);
  return result;
}
