import { extentOf, gridOf, shapesOf, type Check, type Grid } from "../../lib/recipe";
import { Num } from "./form";

/** The check again and again, in rows and columns: pockets of a tray, slots of a box. */
export function GridField({ check, set }: { check: Check; set: (g: Grid | undefined) => void }) {
  const g = gridOf(check);
  const first = shapesOf(check)[0];
  const begin = (): Grid => {
    const [x0, , x1] = first ? extentOf(first) : [0, 0, 100, 100];
    return { columns: 2, rows: 1, step: [Math.round((x1 - x0) * 1.2), 0] };
  };
  const whole = (v: number | undefined) => Math.max(1, Math.round(v ?? 1));
  return (
    <>
      <label className="flex items-center gap-2 text-base">
        <input type="checkbox" className="h-5 w-5" checked={g !== undefined} onChange={(e) => set(e.target.checked ? begin() : undefined)} />
        Again in rows and columns
      </label>
      {g && (
        <fieldset className="m-0 grid grid-cols-2 gap-2 rounded-md border border-hairline p-2.5">
          <legend className="px-1 text-sm text-ink-2">{g.columns * g.rows} copies; drag the last one on the picture</legend>
          {(
            [
              ["Columns", g.columns, (v?: number) => ({ ...g, columns: whole(v) })],
              ["Rows", g.rows, (v?: number) => ({ ...g, rows: whole(v), step: [g.step[0], g.step[1] || g.step[0]] as [number, number] })],
              ["To the next column, px", g.step[0], (v?: number) => ({ ...g, step: [v ?? 0, g.step[1]] as [number, number] })],
              ["To the next row, px", g.step[1], (v?: number) => ({ ...g, step: [g.step[0], v ?? 0] as [number, number] })],
            ] as const
          ).map(([label, value, to]) => (
            <label key={label} className="flex flex-col gap-1 text-sm text-ink-2">
              {label}
              <Num value={value} set={(v) => set(to(v))} />
            </label>
          ))}
        </fieldset>
      )}
    </>
  );
}
