import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { MemoryRouter } from "react-router";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { reviewItem, unreviewItem, type Item } from "../api/client";
import { Marks, rightOf, Tile, wrongWord } from "./tile";

vi.mock("../api/client", async (original) => ({ ...(await original<object>()), reviewItem: vi.fn(), unreviewItem: vi.fn() }));

const item = (over: Partial<Item> = {}): Item => ({
  id: "a.1",
  station: "a",
  line: "l",
  role: "top",
  seq: 1,
  time: "2026-03-02T10:00:00Z",
  product: "p",
  revision: "sha256:0",
  route: "reject",
  fault: "",
  reason: "tips",
  sentence: "tips: 11 spots, 12 expected",
  took_ms: 1,
  delay_ms: 1,
  picture: false,
  review: "",
  ...over,
});

const shown = (it: Item, said?: (r: Item["review"]) => void) =>
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter>{said ? <Marks item={it} said={said} /> : <Tile item={it} />}</MemoryRouter>
    </QueryClientProvider>,
  );

beforeEach(() => {
  vi.mocked(reviewItem).mockReset().mockResolvedValue({ item: "a.1", good: true, who: "", note: "", time: "" });
  vi.mocked(unreviewItem).mockReset().mockResolvedValue(item());
});

describe("what a verdict was", () => {
  it("follows from what the item truly was", () => {
    expect(rightOf(item())).toBeUndefined();
    expect(rightOf(item({ review: "good" }))).toBe(false);
    expect(rightOf(item({ review: "bad" }))).toBe(true);
    expect(rightOf(item({ route: "pass", review: "good" }))).toBe(true);
    expect(rightOf(item({ route: "pass", review: "bad" }))).toBe(false);
    expect(rightOf(item({ route: "rework", review: "bad" }))).toBe(true);
    expect(wrongWord(item())).toBe("false reject");
    expect(wrongWord(item({ route: "pass" }))).toBe("missed reject");
  });
});

describe("right and wrong", () => {
  it.each([
    ["reject", "Wrong", true],
    ["reject", "Right", false],
    ["pass", "Wrong", false],
    ["pass", "Right", true],
  ])("of a %s, %s says that it was good: %s", async (route, word, good) => {
    const said = vi.fn();
    shown(item({ route }), said);
    await userEvent.click(screen.getByRole("button", { name: new RegExp(word) }));
    await waitFor(() => expect(said).toHaveBeenCalledWith(good ? "good" : "bad"));
    expect(reviewItem).toHaveBeenCalledWith("a.1", good);
    expect(screen.getByRole("button", { name: new RegExp(word) })).toHaveAttribute("aria-pressed", "true");
  });

  it("is taken back by the same button", async () => {
    const said = vi.fn();
    shown(item({ review: "bad" }), said);
    await userEvent.click(screen.getByRole("button", { name: /Right/ }));
    await waitFor(() => expect(said).toHaveBeenCalledWith(""));
    expect(unreviewItem).toHaveBeenCalledWith("a.1");
    expect(reviewItem).not.toHaveBeenCalled();
  });

  it("does not pretend where the service says no", async () => {
    vi.mocked(reviewItem).mockRejectedValue(new Error("a.1 is a test piece and no production"));
    shown(item());
    await userEvent.click(screen.getByRole("button", { name: /Wrong/ }));
    expect(await screen.findByRole("alert")).toHaveTextContent("test piece");
    expect(screen.getByRole("button", { name: /Wrong/ })).toHaveAttribute("aria-pressed", "false");
  });
});
