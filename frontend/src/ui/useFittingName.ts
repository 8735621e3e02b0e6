import { useRemark } from "./help";

/** Fits a name that was typed into its limit, and says so where something was left out. */
export function useFittingName(longest: number): (name: string) => string {
  const remark = useRemark();
  return (name) => {
    const trimmed = name.trim();
    if (trimmed.length > longest) remark(`A name has at most ${longest} characters; the end of “${trimmed.slice(0, 24)}…” was left out.`);
    return trimmed.slice(0, longest);
  };
}
