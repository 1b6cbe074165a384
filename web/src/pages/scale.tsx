import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { Station } from "../api/client";
import { findCalibration, setCalibration, type FoundCalibration } from "../api/workbench";
import type { Shape } from "../lib/recipe";
import { Button } from "../ui/parts";
import { Num } from "./recipe/form";

/** The arrow along a known length, in the middle of a picture of that size. */
export const ruler = (w: number, h: number): Shape => ({ path: [], form: "arrow", turn: 0, numbers: [w * 0.25, h / 2, w * 0.75, h / 2], role: "known length" });

/** How large a pixel of a station is: shown, found by a known length or a grid of dots, kept. */
export function Scale({ s, idle, line, setLine, ready }: { s: Station; idle: boolean; ready: boolean; line: Shape | null; setLine: (on: boolean) => void }) {
  const client = useQueryClient();
  const [length, setLength] = useState<number | undefined>(undefined);
  const [grid, setGrid] = useState<number | undefined>(undefined);
  const [way, setWay] = useState<"length" | "grid">("length");
  const [found, setFound] = useState<FoundCalibration | null>(null);
  const [trouble, setTrouble] = useState("");
  const [busy, setBusy] = useState(false);
  const act = async (f: () => Promise<void>) => {
    setBusy(true);
    setTrouble("");
    try {
      await f();
    } catch (x) {
      setTrouble(x instanceof Error ? x.message : String(x));
    } finally {
      setBusy(false);
    }
  };
  const find = () =>
    act(async () => {
      setFound(null);
      setFound(await findCalibration(s.id, way === "grid" ? { grid_mm: grid ?? 0 } : { length_mm: length ?? 0, from: line?.numbers.slice(0, 2) ?? [], to: line?.numbers.slice(2, 4) ?? [] }));
    });
  const keep = (c: FoundCalibration["calibration"] | null) =>
    act(async () => {
      await setCalibration(s.id, c);
      setFound(null);
      setLine(false);
      await client.invalidateQueries({ queryKey: ["stations"] });
    });
  const now = s.calibration;
  const px = line ? Math.hypot((line.numbers[2] ?? 0) - (line.numbers[0] ?? 0), (line.numbers[3] ?? 0) - (line.numbers[1] ?? 0)) : 0;
  return (
    <section aria-label="Scale" className="mt-4 border-t border-hairline pt-3">
      <h2 className="m-0 text-lg font-semibold">{now ? `One pixel is ${now.mm_per_px.toPrecision(4)} mm` : "Nobody has said how large a pixel is"}</h2>
      <p className="m-0 text-sm text-ink-2">
        {now?.lens ? `The lens moves a corner by ${(100 * now.lens.bend).toFixed(2)} % of its distance; measures are straightened.` : now ? "The lens is taken as straight." : "Lengths are read in pixels, or by the scale of a recipe, until somebody does."}
      </p>
      <fieldset className="m-0 mt-2 flex gap-4 border-0 p-0">
        <legend className="sr-only">How to find it</legend>
        {(
          [
            ["length", "A known length"],
            ["grid", "A printed grid of dots"],
          ] as const
        ).map(([v, text]) => (
          <label key={v} className="flex min-h-10 items-center gap-2 text-base">
            <input
              type="radio"
              name="way"
              className="h-5 w-5"
              checked={way === v}
              onChange={() => {
                setWay(v);
                setFound(null);
                if (v === "grid") setLine(false);
              }}
            />
            {text}
          </label>
        ))}
      </fieldset>
      {way === "length" && !line && (
        <Button className="mt-1" disabled={!ready} onClick={() => setLine(true)}>
          Draw it on the picture
        </Button>
      )}
      {way === "length" && line && (
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Drag the arrow's ends onto it: {px.toFixed(1)} px. Its length, mm
          <Num value={length} set={setLength} />
        </label>
      )}
      {way === "grid" && (
        <label className="flex flex-col gap-1 text-sm text-ink-2">
          Lay the grid flat under the camera, so that it fills the picture. From dot to dot, mm
          <Num value={grid} set={setGrid} />
        </label>
      )}
      {(way === "grid" || line) && (
        <Button className="mt-2" disabled={busy || !((way === "grid" ? grid : length) ?? 0 > 0)} onClick={() => void find()}>
          {busy ? "Looking…" : "Find the scale"}
        </Button>
      )}
      {trouble && (
        <p role="alert" className="m-0 mt-2 text-base text-reject">
          {trouble}
        </p>
      )}
      {found && (
        <div className="mt-2 border-l-4 border-l-accent bg-wash px-3 py-2 text-base">
          One pixel would be <b>{found.calibration.mm_per_px.toPrecision(4)} mm</b>.
          {found.grid && ` ${found.grid.dots} dots lie on the grid, ${found.grid.rms.toFixed(2)} px off it in the mean and ${found.grid.worst.toFixed(2)} at most.`}
          <div className="mt-2 flex gap-2">
            <Button kind="main" disabled={!idle || busy} hint={idle ? "Readings of items from now on go by it" : "Stop the station first"} onClick={() => void keep(found.calibration)}>
              Keep it
            </Button>
            <Button onClick={() => setFound(null)}>Drop it</Button>
          </div>
          {!idle && <p className="m-0 mt-1 text-sm text-ink-2">Stop the station to keep it: items before and after would be measured by different scales.</p>}
        </div>
      )}
      {now && idle && !found && (
        <p className="mb-0 mt-2 text-sm">
          <button type="button" className="min-h-9 rounded-md border border-hairline px-2.5 hover:bg-wash" disabled={busy} onClick={() => void keep(null)}>
            Forget it
          </button>{" "}
          <span className="text-ink-2">and go by the site's configuration again</span>
        </p>
      )}
    </section>
  );
}
