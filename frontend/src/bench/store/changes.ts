/** One operation of JSON Patch (RFC 6902). */
export interface Change {
  op: "add" | "replace" | "remove";
  path: string;
  value: unknown;
}

function isGroup(value: unknown): value is Record<string, unknown> {
  return typeof value === "object" && value !== null && !Array.isArray(value);
}

function within(path: string, key: string): string {
  return `${path}/${key.replaceAll("~", "~0").replaceAll("/", "~1")}`;
}

/** What turns one value into another. What both share by reference is not looked into, so that the work is that of the
 * change and not of the whole. */
export function changesOf(before: unknown, after: unknown, path = ""): Change[] {
  if (before === after) return [];
  const whole: Change[] = [{ op: "replace", path, value: after }];
  if (isGroup(before) && isGroup(after)) {
    const keys = Object.keys(after);
    if (keys.length !== Object.keys(before).length || keys.some((key) => !(key in before))) return whole;
    return keys.flatMap((key) => changesOf(before[key], after[key], within(path, key)));
  }
  if (Array.isArray(before) && Array.isArray(after)) {
    const old: unknown[] = before;
    const made: unknown[] = after;
    // Numbers are sent as the list that they are; of longer things only what differs and what was put at the end.
    if (made.length < old.length || !made.every(isGroup)) {
      return JSON.stringify(old) === JSON.stringify(made) ? [] : whole;
    }
    // What has a name of its own is never half one thing and half another, not even between two operations.
    if (old.some((item, k) => isGroup(item) && item.id !== made[k]?.id)) return whole;
    const changed = old.flatMap((item, k) => changesOf(item, made[k], within(path, String(k))));
    return [...changed, ...made.slice(old.length).map((value): Change => ({ op: "add", path: `${path}/-`, value }))];
  }
  return whole;
}
