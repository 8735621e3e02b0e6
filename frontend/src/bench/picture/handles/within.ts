/** A value held within a setting's range, to four digits. */
export function within({ low, high }: { low: number; high: number }, value: number): number {
  return Number(Math.min(high, Math.max(low, value)).toFixed(4));
}
