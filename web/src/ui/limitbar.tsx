import type { Reading } from "../api/client";
import { band, num } from "../lib/format";
import { layout } from "../lib/limitbar";

/** A reading beside its limits: the band, and the reading as a tick in it. One looks, not reads. */
export function LimitBar({ reading }: { reading: Reading }) {
  const bar = layout(reading.value, reading.least, reading.most);
  if (!bar) return null;
  const pc = (v: number) => `${(100 * v).toFixed(1)}%`;
  return (
    <svg
      role="img"
      aria-label={`${num(reading.value)}, ${band(reading.least, reading.most)} wanted`}
      viewBox="0 0 100 14"
      preserveAspectRatio="none"
      className={`h-3.5 w-full min-w-16 ${bar.within ? "text-ink" : "text-reject"}`}
    >
      <rect x="0" y="6" width="100" height="2" fill="var(--hairline)" />
      <rect x={pc(bar.from)} y="4" width={pc(Math.max(bar.to - bar.from, 0.015))} height="6" fill="var(--ink)" opacity="0.28" />
      <line x1={pc(bar.at)} x2={pc(bar.at)} y1="0" y2="14" stroke="currentColor" strokeWidth="3" vectorEffect="non-scaling-stroke" />
    </svg>
  );
}
