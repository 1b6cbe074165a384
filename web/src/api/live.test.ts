import { QueryClient } from "@tanstack/react-query";
import { expect, test } from "vitest";
import type { Item, ItemDetail, Line, LiveEvent, Package, Station } from "./client";
import { apply } from "./live";

const station = (id: string, inspected: number): Station =>
  ({ id, status: "running", counters: { inspected, routes: {}, faults: 0, not_recorded: 0 } }) as unknown as Station;
const item = (stationID: string, seq: number): ItemDetail => ({ id: `${stationID}.${seq}`, station: stationID, seq, findings: [] }) as unknown as ItemDetail;
const came = (it: ItemDetail): LiveEvent => ({ kind: "item", item: it });

test("events reach the caches, the newest item first and none twice", () => {
  const c = new QueryClient();
  c.setQueryData(["stations"], [station("a", 1), station("b", 5)]);
  apply(c, [came(item("a", 1)), { kind: "station", station: station("a", 2) }, came(item("a", 2)), came(item("a", 1))]);
  expect(c.getQueryData<ItemDetail>(["latest", "a"])?.seq).toBe(1);
  expect(c.getQueryData<Item[]>(["recent", "a"])?.map((i) => i.seq)).toEqual([1, 2]);
  const list = c.getQueryData<Station[]>(["stations"])!;
  expect(list[0]!.counters.inspected).toBe(2);
  expect(list[0]!.last?.seq).toBe(1);
  expect(list[1]!.counters.inspected).toBe(5);
});

test("the strip keeps a bounded number of items", () => {
  const c = new QueryClient();
  apply(c, Array.from({ length: 200 }, (_, i) => came(item("a", i))));
  expect(c.getQueryData<Item[]>(["recent", "a"])).toHaveLength(60);
});

test("lines and packages reach theirs", () => {
  const c = new QueryClient();
  const line = (id: string, underway: number) => ({ id, underway }) as unknown as Line;
  const pack = (seq: number): LiveEvent => ({ kind: "package", package: { id: `l1.${seq}`, line: "l1", seq } as unknown as Package });
  c.setQueryData(["lines"], [line("l1", 0), line("l2", 3)]);
  apply(c, [pack(1), { kind: "line", line: line("l1", 2) }, { kind: "line", line: line("l1", 4) }, pack(2), pack(1)]);
  expect(c.getQueryData<Line[]>(["lines"])!.map((l) => l.underway)).toEqual([4, 3]);
  expect(c.getQueryData<Package[]>(["packages", "l1"])?.map((p) => p.seq)).toEqual([1, 2]);
});
