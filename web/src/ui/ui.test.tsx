import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { createMemoryRouter, RouterProvider } from "react-router";
import { afterEach, expect, test, vi } from "vitest";
import type { Finding, Item } from "../api/client";
import { ItemsPage, queryOf } from "../pages/items";
import { Findings } from "./findings";
import { Rows } from "./rows";
import { Verdict } from "./parts";
import { Overlay } from "./picture";

const finding = (over: Partial<Finding>): Finding => ({ check: "tips", kind: "count.spots", outcome: "ok", sentence: "12 spots", readings: {}, texts: {}, marks: [], ...over });
const item = (seq: number, over: Partial<Item> = {}): Item => ({
  id: `a.${seq}`,
  station: "a",
  line: "l",
  role: "top",
  seq,
  time: "2026-03-02T10:00:00Z",
  product: "p",
  revision: "sha256:0",
  review: "",
  route: "pass",
  fault: "",
  reason: "",
  sentence: `sentence ${seq}`,
  took_ms: 1,
  delay_ms: 2,
  picture: false,
  ...over,
});

test("a verdict is color, shape and word together", () => {
  const { container } = render(<Verdict item={{ route: "reject", fault: "late" }} />);
  expect(screen.getByText("Fault")).toBeInTheDocument();
  expect(container.querySelector("svg")).toHaveClass("text-fault");
});

test("readings stand beside their limits, and a failed check says why", async () => {
  const toggle = vi.fn();
  render(
    <Findings
      hidden={new Set()}
      onToggle={toggle}
      findings={[
        finding({ outcome: "failed", sentence: "11 spots, 12 expected", readings: { count: { value: 11, unit: "", least: 12, most: 12 } } }),
        finding({ check: "tin", readings: { x: { value: 300.25, unit: "px" } }, sentence: "found" }),
      ]}
    />,
  );
  expect(screen.getByText("11 spots, 12 expected")).toBeInTheDocument();
  expect(screen.getByRole("img", { name: "11, 12 wanted" })).toBeInTheDocument();
  expect(screen.queryByText("300.3 px")).not.toBeInTheDocument();
  await userEvent.click(screen.getByRole("button", { name: "Overlay of tin" }));
  expect(toggle).toHaveBeenCalledWith("tin");
});

test("the list of spots says why one was left out", () => {
  render(<Rows finding={finding({ rows: [{ area: 812, x: 3, missed: "" }, { area: 90.25, x: 5, missed: "area, width" }] })} />);
  expect(screen.getByText("tips: 2 found, 1 counted")).toBeInTheDocument();
  const rows = screen.getAllByRole("row");
  expect(within(rows[2]!).getByText("area, width")).toBeInTheDocument();
  expect(within(rows[2]!).getByText("90.25")).toBeInTheDocument();
});

test("the list is sorted by a press on a heading, and keeps the numbers of the picture", async () => {
  render(<Rows finding={finding({ rows: [{ area: 90, x: 3 }, { area: 812, x: 5 }, { area: 400, x: 1 }] })} />);
  const numbers = () => screen.getAllByRole("row").slice(1).map((r) => within(r).getAllByRole("cell")[0]!.textContent);
  expect(screen.getByText("tips: 3 listed")).toBeInTheDocument();
  await userEvent.click(screen.getByRole("button", { name: "area" }));
  expect(numbers()).toEqual(["2", "3", "1"]);
  await userEvent.click(screen.getByRole("button", { name: "area" }));
  expect(numbers()).toEqual(["1", "3", "2"]);
  await userEvent.click(screen.getByRole("button", { name: "x" }));
  expect(numbers()).toEqual(["2", "1", "3"]);
});

test("arrows have heads, lines stay open, spots carry their number", () => {
  const points = [[10, 10], [50, 10], [50, 40]] as [number, number][];
  const marks = [
    { shape: "arrow" as const, role: "region" as const, points: points.slice(0, 2) },
    { shape: "line" as const, role: "found" as const, points },
    { shape: "polygon" as const, role: "found" as const, label: "7", points },
  ];
  const { container } = render(<Overlay findings={[finding({ marks })]} hidden={new Set()} width={100} height={100} detailed />);
  const paths = [...container.querySelectorAll("path")].map((p) => p.getAttribute("d")!);
  expect(paths[0]!.match(/M/g)).toHaveLength(2);
  expect(paths[2]).not.toContain("Z");
  expect(paths[4]).toContain("Z");
  expect(container.querySelector("text")).toHaveTextContent("7");
});

test("overlays can be hidden one by one, and failed checks carry their name", () => {
  const square = { shape: "polygon" as const, role: "region" as const, points: [[1, 50], [9, 50], [9, 60]] as [number, number][] };
  const both = [finding({ check: "good", marks: [square] }), finding({ check: "bad", outcome: "failed", marks: [square] })];
  const { container, rerender } = render(<Overlay findings={both} hidden={new Set()} width={100} height={100} />);
  expect(container.querySelectorAll("text")).toHaveLength(1);
  expect(container.querySelector("text")).toHaveTextContent("bad");
  rerender(<Overlay findings={both} hidden={new Set(["bad"])} width={100} height={100} />);
  expect(container.querySelectorAll("text")).toHaveLength(0);
  expect(container.querySelectorAll("path")).toHaveLength(2);
});

afterEach(() => vi.unstubAllGlobals());

/** Answers requests by path, and remembers what was asked. */
function service(answers: Record<string, unknown>): string[] {
  const asked: string[] = [];
  vi.stubGlobal("fetch", async (r: Request) => {
    const url = new URL(r.url);
    asked.push(url.pathname + url.search);
    const body = answers[url.pathname + url.search] ?? answers[url.pathname];
    if (body === undefined) throw new TypeError("no network");
    return new Response(JSON.stringify(body), { headers: { "Content-Type": "application/json" } });
  });
  return asked;
}

function open(path: string) {
  const router = createMemoryRouter([{ path: "/items", element: <ItemsPage /> }], { initialEntries: [path] });
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <RouterProvider router={router} />
    </QueryClientProvider>,
  );
  return router;
}

const base = { "/api/v1/stations": { stations: [] }, "/api/v1/tally": { by: ["reason"], total: 3, tallies: [{ key: { reason: "tips" }, count: 3 }] } };

test("the filters live in the address", async () => {
  const asked = service({ ...base, "/api/v1/items": { items: [item(7, { route: "reject", reason: "tips", sentence: "tips: 11 spots" })], next: "" } });
  const router = open("/items?station=a");
  await screen.findByText("tips: 11 spots");
  await userEvent.selectOptions(screen.getByLabelText("Verdict"), "not_passed");
  await screen.findByText("tips: 11 spots");
  expect(router.state.location.search).toBe("?station=a&not_passed=true");
  expect(asked.some((a) => a.includes("/items?") && a.includes("not_passed=true") && a.includes("station=a"))).toBe(true);
  expect(queryOf(new URLSearchParams("reason=late&cursor=9&not_passed=false"))).toEqual({ limit: 50, reason: "late" });
});

test("older items are fetched with the cursor", async () => {
  const asked = service({ ...base, "/api/v1/items": { items: [item(9)], next: "c7" }, "/api/v1/items?limit=50&cursor=c7": { items: [item(8)], next: "" } });
  open("/items");
  await userEvent.click(await screen.findByRole("button", { name: "Older items" }));
  await screen.findByText("sentence 8");
  expect(screen.getByText("sentence 9")).toBeInTheDocument();
  expect(screen.getByText("These are all.")).toBeInTheDocument();
  expect(asked).toContain("/api/v1/items?limit=50&cursor=c7");
});

test("an empty list says what to do, and silence of the service is said", async () => {
  service({ ...base, "/api/v1/items": { items: [], next: "" } });
  open("/items?reason=late");
  expect(await screen.findByText("No item fits these filters")).toBeInTheDocument();
  await userEvent.click(screen.getByRole("button", { name: "Clear the filters" }));
  expect(await screen.findByText("No items yet")).toBeInTheDocument();
  vi.stubGlobal("fetch", async () => {
    throw new TypeError("no network");
  });
  await userEvent.click(screen.getByRole("button", { name: "Refresh" }));
  expect(await screen.findByText(/The service does not answer/)).toBeInTheDocument();
});
