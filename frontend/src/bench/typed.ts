const PRESSED = ["checkbox", "radio", "range", "button"];

/** Whether what has the keyboard is a field that text is typed into; a box that was ticked swallows no key. */
export function isTyped(target: EventTarget | null): boolean {
  return target instanceof HTMLInputElement && !PRESSED.includes(target.type);
}
