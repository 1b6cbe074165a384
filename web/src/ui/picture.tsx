import { useEffect, useState } from "react";
import { pictureURL, type Finding, type ItemDetail, type Mark } from "../api/client";

/** Draws marks over the picture in its own coordinates. Every line has a dark and a
 * light stroke, so that it shows on any picture. What is in order is labeled only where
 * it is looked at in detail. */
export function Overlay({ findings, hidden, width, height, detailed = false }: { findings: Finding[]; hidden: Set<string>; width: number; height: number; detailed?: boolean }) {
  return (
    <svg viewBox={`0 0 ${width} ${height}`} className="absolute inset-0 h-full w-full" aria-hidden="true" data-testid="overlay">
      {findings
        .filter((f) => !hidden.has(f.check))
        .map((f) => (
          <g key={f.check}>
            {f.marks.map((m, i) => (
              <MarkShape key={i} mark={m} failed={f.outcome === "failed" || f.outcome === "fault"} unit={width / 1280} detailed={detailed} />
            ))}
          </g>
        ))}
      {findings.filter((f) => !hidden.has(f.check)).map((f) => <Label key={f.check} finding={f} unit={width / 1280} width={width} />)}
    </svg>
  );
}

const strokes = { ok: "#7fe6da", failed: "#ff6a4d", left_out: "#ffd27a" };

function MarkShape({ mark, failed, unit, detailed }: { mark: Mark; failed: boolean; unit: number; detailed: boolean }) {
  const light = mark.role === "left_out" ? strokes.left_out : failed ? strokes.failed : mark.role === "region" ? "#ffffff" : strokes.ok;
  const w = (mark.role === "region" && !failed ? 1.6 : 2.4) * unit;
  const dash = mark.role === "taught" ? `${6 * unit} ${5 * unit}` : undefined;
  if (mark.shape === "points") {
    const d = mark.points.map(([x, y]) => `M${x} ${y}h0`).join("");
    return (
      <>
        <path d={d} stroke="#000" strokeOpacity="0.6" strokeWidth={6 * unit} strokeLinecap="round" />
        <path d={d} stroke={light} strokeWidth={3.4 * unit} strokeLinecap="round" />
      </>
    );
  }
  if (mark.shape === "cross") {
    const [x, y] = mark.points[0] ?? [0, 0];
    const r = 16 * unit;
    const d = `M${-r} 0H${r}M0 ${-r}V${r}M0 ${-r}l${-5 * unit} ${8 * unit}M0 ${-r}l${5 * unit} ${8 * unit}`;
    return <Stroke d={d} light={light} w={w} transform={`translate(${x} ${y}) rotate(${mark.turn ?? 0})`} />;
  }
  const soft = mark.role === "region" && !failed;
  const line = `M${mark.points.map((p) => p.join(" ")).join("L")}`;
  if (mark.shape === "arrow") return <Stroke d={line + arrowHead(mark.points, 12 * unit)} light={light} w={w} soft={soft} />;
  return (
    <>
      <Stroke d={mark.shape === "line" ? line : `${line}Z`} light={light} w={w} dash={dash} soft={soft} />
      {mark.label && (failed || detailed) && <MarkLabel mark={mark} light={light} unit={unit} />}
    </>
  );
}

/** The two barbs at the second of two points. */
function arrowHead(points: number[][], size: number): string {
  const [[ax = 0, ay = 0] = [], [bx = 0, by = 0] = []] = points;
  const length = Math.hypot(bx - ax, by - ay) || 1;
  const [ux, uy] = [((bx - ax) / length) * size, ((by - ay) / length) * size];
  return `M${bx - ux + uy * 0.5} ${by - uy - ux * 0.5}L${bx} ${by}L${bx - ux - uy * 0.5} ${by - uy + ux * 0.5}`;
}

/** A number or a word in the middle of its mark: which spot it is, what is there. Above an
 * open line, which it would cover. */
function MarkLabel({ mark, light, unit }: { mark: Mark; light: string; unit: number }) {
  const n = mark.points.length || 1;
  const x = mark.points.reduce((sum, p) => sum + (p[0] ?? 0), 0) / n;
  const y = mark.points.reduce((sum, p) => sum + (p[1] ?? 0), 0) / n - (mark.shape === "line" ? 11 * unit : 0);
  return (
    <text x={x} y={y} fontSize={15 * unit} fill={light} stroke="#000" strokeOpacity="0.7" strokeWidth={3 * unit} paintOrder="stroke" textAnchor="middle" dominantBaseline="central" fontFamily="var(--font-sans)">
      {mark.label}
    </text>
  );
}

function Stroke({ d, light, w, dash, transform, soft }: { d: string; light: string; w: number; dash?: string; transform?: string; soft?: boolean }) {
  return (
    <g transform={transform} fill="none" strokeLinejoin="round" opacity={soft ? 0.75 : 1}>
      <path d={d} stroke="#000" strokeOpacity="0.55" strokeWidth={w * 2.2} />
      <path d={d} stroke={light} strokeWidth={w} strokeDasharray={dash} />
    </g>
  );
}

/** The name of a failed check, outside of what it speaks of. */
function Label({ finding, unit, width }: { finding: Finding; unit: number; width: number }) {
  if (finding.outcome !== "failed" && finding.outcome !== "fault") return null;
  const region = finding.marks.find((m) => m.role === "region") ?? finding.marks[0];
  if (!region || region.points.length === 0) return null;
  const x = Math.min(...region.points.map((p) => p[0] ?? 0));
  const top = Math.min(...region.points.map((p) => p[1] ?? 0));
  const text = finding.check;
  const size = 20 * unit;
  const w = (text.length * 0.62 + 1) * size;
  const at = Math.max(0, Math.min(x, width - w));
  const y = top - size * 1.7 < 0 ? top + size * 0.4 : top - size * 1.7;
  return (
    <g>
      <rect x={at} y={y} width={w} height={size * 1.45} rx={3 * unit} fill="#7a1d0c" />
      <text x={at + size * 0.5} y={y + size * 1.05} fontSize={size} fill="#fff" fontWeight="600" fontFamily="var(--font-sans)">
        {text}
      </text>
    </g>
  );
}

/**
 * Loads pictures one after the other: the one shown stays until the next has loaded, and
 * while one loads, later ones are passed over. url is null where there is none.
 */
function useLoaded(url: string | null, done: (img: HTMLImageElement) => void, failed?: () => void) {
  useEffect(() => {
    if (!url) return;
    let current = true;
    const img = new Image();
    img.onload = () => current && done(img);
    img.onerror = () => current && failed?.();
    img.src = url;
    return () => {
      current = false;
    };
    // What to do with a picture belongs to its address.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [url]);
}

/**
 * The picture of an item with its overlays. The one shown stays until the next has
 * loaded, so that a live picture never flickers, and the overlays are always those
 * of the picture under them. While one loads, later ones are passed over.
 */
export function Picture({ item, overlays, hidden, detailed, onShown }: { item: ItemDetail; overlays: boolean; hidden: Set<string>; detailed?: boolean; onShown?: (item: ItemDetail) => void }) {
  const [shown, setShown] = useState<{ item: ItemDetail; url: string; w: number; h: number } | null>(null);
  const [failed, setFailed] = useState<string | null>(null);
  const has = item.picture;
  useLoaded(
    has ? pictureURL(item.id, "preview") : null,
    (img) => {
      setShown({ item, url: img.src, w: img.naturalWidth, h: img.naturalHeight });
      setFailed(null);
      onShown?.(item);
    },
    () => setFailed(item.id),
  );

  if (!has || failed === item.id) {
    return (
      <div className="flex min-h-64 w-full items-center justify-center bg-pane p-6 text-center text-lg text-white">
        {has ? "This picture cannot be loaded; it may have given way to newer ones." : item.fault === "no_picture" ? "There is no picture: the source delivered none." : "The picture of this item was not kept. Kept are those of items that did not pass, and a share of the others."}
      </div>
    );
  }
  return (
    // Never higher than the place it is in, whatever its shape.
    <figure className="relative m-0 mx-auto w-full overflow-hidden bg-pane" style={shown ? { aspectRatio: `${shown.w} / ${shown.h}`, maxWidth: `calc(100cqh * ${shown.w / shown.h})` } : { aspectRatio: "4 / 3" }}>
      {shown && (
        <>
          <img src={shown.url} alt={`Picture of item ${shown.item.id}: ${shown.item.sentence}`} className="absolute inset-0 h-full w-full object-contain" />
          {overlays && <Overlay findings={shown.item.findings} hidden={hidden} width={shown.w} height={shown.h} detailed={detailed} />}
        </>
      )}
    </figure>
  );
}

/** The newest of a station's small pictures: the one shown stays until the next has loaded. */
export function LiveThumb({ id, picture }: { id: string; picture: boolean }) {
  const [shown, setShown] = useState<string | null>(null);
  useLoaded(picture ? pictureURL(id, "thumb") : null, (img) => setShown(img.src));
  if (!shown || !picture) return <div className="flex aspect-[4/3] w-full items-center justify-center bg-wash text-sm text-ink-2">{picture ? "" : "–"}</div>;
  return <img src={shown} alt="" width={160} height={120} className="aspect-[4/3] h-auto w-full bg-pane object-cover" />;
}

/** A small picture of an item for lists and strips. */
export function Thumb({ id, picture }: { id: string; picture: boolean }) {
  const [gone, setGone] = useState(false);
  if (!picture || gone) return <div className="flex aspect-[4/3] w-full items-center justify-center bg-wash text-sm text-ink-2" title="The picture was not kept">–</div>;
  return <img src={pictureURL(id, "thumb")} alt="" loading="lazy" width={160} height={120} onError={() => setGone(true)} className="aspect-[4/3] h-auto w-full bg-pane object-cover" />;
}
