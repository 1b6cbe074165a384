/** What the time of one inspection means for a belt: items a minute, and how fast it may run. */
export interface Pace {
  perMinute: number;
  /** Fastest belt in m/s: one item must be judged before the next one is there. */
  belt: number;
  /** Whether the next item would already be in the picture. */
  crowded: boolean;
}

/** Times in ms; the field's width along the belt and the distance from item to item in mm. */
export function paceOf(takesMS: number, fieldMM: number, pitchMM: number): Pace | null {
  if (!(takesMS > 0 && fieldMM > 0 && pitchMM > 0)) return null;
  return { perMinute: Math.floor(60_000 / takesMS), belt: pitchMM / takesMS, crowded: pitchMM < fieldMM };
}
