import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useEffect, useSyncExternalStore } from "react";
import type { Alarm, Item, ItemDetail, Line, LiveEvent, Package, Station } from "./client";

/** How many items of a station the pages keep for strips. */
const keptItems = 60;

type Listener = () => void;

/** Whether the live stream is connected, for the banner. */
let connected = true;
const listeners = new Set<Listener>();

function setConnected(v: boolean) {
  if (v === connected) return;
  connected = v;
  listeners.forEach((l) => l());
}

export const useConnected = (): boolean =>
  useSyncExternalStore(
    (l) => {
      listeners.add(l);
      return () => listeners.delete(l);
    },
    () => connected,
  );

/** Puts events into the caches that the pages read. */
export function apply(client: QueryClient, events: LiveEvent[]): void {
  const states = new Map<string, Station>();
  const lines = new Map<string, Line>();
  for (const e of events) {
    if (e.kind === "line" && e.line) lines.set(e.line.id, e.line);
    if (e.kind === "alarm" && e.alarm) {
      const a = e.alarm;
      client.setQueryData<Alarm[]>(["alarms"], (old) => {
        const rest = (old ?? []).filter((o) => o.id !== a.id);
        return a.gone && a.acknowledged ? rest : [...rest, a].sort((x, y) => x.id - y.id);
      });
    }
    if (e.kind === "package" && e.package) {
      const p = e.package;
      client.setQueryData<Package[]>(["packages", p.line], (old) => [p, ...(old ?? []).filter((o) => o.id !== p.id)].slice(0, keptItems));
    }
    if (e.kind === "station" && e.station) states.set(e.station.id, e.station);
    if (e.kind === "item" && e.item) {
      const it = e.item;
      client.setQueryData<ItemDetail | null>(["latest", it.station], it);
      client.setQueryData<Item[]>(["recent", it.station], (old) => [it, ...(old ?? []).filter((o) => o.id !== it.id)].slice(0, keptItems));
    }
  }
  if (lines.size > 0) client.setQueryData<Line[]>(["lines"], (old) => old?.map((l) => lines.get(l.id) ?? l));
  if (states.size === 0 && events.length === 0) return;
  client.setQueryData<Station[]>(["stations"], (old) =>
    old?.map((s) => {
      const fresh = states.get(s.id) ?? s;
      const last = client.getQueryData<ItemDetail | null>(["latest", s.id]);
      return { ...fresh, last: last ?? fresh.last ?? s.last };
    }),
  );
}

/** How often what came in is shown: often enough to look live, seldom enough to stay calm. */
const showEvery = 100;

/**
 * Keeps the caches up to date from the live stream, as long as the page is open. The
 * browser comes back by itself after a break and goes on where it was; where events
 * were lost, the service says "reset" and everything is asked for anew.
 */
export function useLive(): void {
  const client = useQueryClient();
  useEffect(() => {
    let waiting: LiveEvent[] = [];
    let timer: number | undefined;
    const show = () => {
      timer = undefined;
      const batch = waiting;
      waiting = [];
      apply(client, batch);
    };
    const take = (e: MessageEvent<string>) => {
      waiting.push(JSON.parse(e.data) as LiveEvent);
      timer ??= window.setTimeout(show, showEvery);
    };
    let source: EventSource;
    let again: number | undefined;
    const open = () => {
      source = new EventSource("/api/v1/live");
      source.addEventListener("item", take);
      source.addEventListener("station", take);
      source.addEventListener("package", take);
      source.addEventListener("line", take);
      source.addEventListener("alarm", take);
      source.addEventListener("reset", () => void client.invalidateQueries());
      source.onopen = () => setConnected(true);
      source.onerror = () => {
        setConnected(false);
        // The browser retries a broken stream, but gives up on a refused one.
        if (source.readyState === EventSource.CLOSED) again = window.setTimeout(open, 2000);
      };
    };
    open();
    // A browser may keep a left page for the way back, with its stream; streams count
    // against the few connections that all pages of a service share.
    const leave = () => {
      window.clearTimeout(again);
      source.close();
    };
    const back = (e: PageTransitionEvent) => {
      if (e.persisted) open();
    };
    window.addEventListener("pagehide", leave);
    window.addEventListener("pageshow", back);
    return () => {
      window.removeEventListener("pagehide", leave);
      window.removeEventListener("pageshow", back);
      source.close();
      window.clearTimeout(timer);
      window.clearTimeout(again);
    };
  }, [client]);
}
