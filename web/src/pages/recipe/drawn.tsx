import { memo } from "react";
import type { Tried } from "../../api/workbench";
import { Overlay } from "../../ui/picture";

const none = new Set<string>();

/** What a draft found, and on the reference what it was taught. Regions that lie there as shapes are not drawn twice. */
export const Drawn = memo(function Drawn({ tried, chosen, reference, shaped, w, h }: { tried: Tried; chosen?: string; reference: boolean; shaped: string; w: number; h: number }) {
  const ids = new Set(shaped.split(" "));
  const findings = tried.findings.map((f) => ({ ...f, marks: f.marks.filter((m) => !(reference && m.role === "region" && ids.has(f.check)) && (f.check === chosen || m.role !== "taught")) }));
  const taught = reference && chosen ? (tried.taught[chosen] ?? []) : [];
  return (
    <svg x={0} y={0} width={w} height={h} viewBox={`0 0 ${w} ${h}`}>
      {tried.selected && <image href={tried.selected} width={w} height={h} opacity={0.6} style={{ imageRendering: "pixelated" }} data-testid="selected" />}
      <Overlay findings={findings} hidden={none} width={w} height={h} />
      {taught.flatMap((m, i) => (m.shape === "points" ? [<path key={i} d={m.points.map(([x, y]) => `M${x} ${y}h0`).join("")} stroke="#f0b13c" strokeWidth={3} strokeLinecap="round" />] : []))}
    </svg>
  );
});
