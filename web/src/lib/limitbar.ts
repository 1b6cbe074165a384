/** Where a reading and its limits lie on a bar, as shares 0…1 of its length. */
export interface Bar {
  from: number;
  to: number;
  at: number;
  within: boolean;
}

/**
 * Lays out a bar that shows the allowed band with a margin round it and the reading
 * as a tick; a reading far outside sits at the bar's end.
 */
export function layout(value: number, least?: number, most?: number): Bar | null {
  if (least === undefined && most === undefined) return null;
  const within = (least === undefined || value >= least) && (most === undefined || value <= most);
  let low: number;
  let high: number;
  if (least !== undefined && most !== undefined) {
    const pad = Math.max((most - least) * 0.35, Math.abs(most) * 0.08, 1e-9);
    low = least - pad;
    high = most + pad;
  } else if (least !== undefined) {
    // Shares end at 1; anything else gets room above the limit.
    high = least >= 0 && least <= 1 && value <= 1 ? 1 : Math.max(value, least + Math.abs(least) * 0.5, least + 1e-9);
    low = least >= 0 ? 0 : least - (high - least);
  } else {
    low = Math.min(0, value);
    high = Math.max(most! * 1.5, most! + 1e-9);
  }
  const at = (v: number) => Math.min(1, Math.max(0, (v - low) / (high - low)));
  return { from: least === undefined ? 0 : at(least), to: most === undefined ? 1 : at(most), at: at(value), within };
}
