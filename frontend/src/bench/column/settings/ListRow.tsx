import type { ReactNode } from "react";

/** A list of things on the picture: how many there are, and what can be done with them. */
export function ListRow({ value, children }: { value: unknown; children: ReactNode }) {
  const count = Array.isArray(value) ? value.length : 0;
  return (
    <div className="pair">
      <span className="unit" style={{ width: "auto" }}>
        {count || "none"}
      </span>
      {children}
    </div>
  );
}

export function isEmpty(value: unknown): boolean {
  return !Array.isArray(value) || value.length === 0;
}
