/** What the pointer is for, other than the handles: each is taken up by a button and put down by Escape. */
export type Tool = "crop" | "horizon" | "spot" | "paint";
