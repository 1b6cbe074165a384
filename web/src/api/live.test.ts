import { QueryClient } from "@tanstack/react-query";
import { expect, test } from "vitest";
import type { Item, ItemDetail, LiveEvent, Station } from "./client";
import { apply } from "./live";

const station = (id: string, inspected: number): Station =>
  ({ id, status: "running", counters: { inspected, routes: {}, faults: 0, unconfirmed: 0, not_recorded: 0 } }) as unknown as Station;
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
