import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { fireEvent, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { MemoryRouter } from "react-router";
import { beforeEach, expect, it, vi } from "vitest";
import { moveLimits, rerun, whatIf, type Draft, type WhatIf } from "../../api/workbench";
import type { Editing } from "./useDraft";
import { WhatIfTab } from "./whatif";

vi.mock("../../api/client", async (original) => ({ ...(await original<object>()), stations: vi.fn(() => Promise.resolve([])), overview: vi.fn(() => Promise.resolve({ shifts: ["2026-03-02/night", "2026-03-02/late"] })) }));
vi.mock("../../api/workbench", async (original) => ({ ...(await original<object>()), whatIf: vi.fn(), rerun: vi.fn(), moveLimits: vi.fn() }));

const answer = (over: Partial<WhatIf> = {}): WhatIf => ({
  items: 100,
  unclear: 0,
  faults: 0,
  before: { pass: 90, reject: 10 },
  after: { pass: 90, reject: 10 },
  changes: [],
  list: [],
  spread: [{ from: 0, to: 1, passed: 90, rejected: 10 }],
  limits: [
    { check: "rim", reading: "highest", unit: "mm", whole: false, most: 1.25 },
    { check: "tips", reading: "count", unit: "", whole: true, least: 12, most: 12 },
  ],
  took_ms: 12,
  ...over,
});

const taken = vi.fn();
const toChecks = vi.fn();
const tab = (dirty = false) =>
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter>
        <WhatIfTab k={{ product: "p", role: "top" }} e={{ draft: { tag: "t" } as Draft, dirty, save: vi.fn(), take: taken } as unknown as Editing} toChecks={toChecks} />
      </MemoryRouter>
    </QueryClientProvider>,
  );
/** What the last question was. */
const asked = () => vi.mocked(whatIf).mock.lastCall![1];

beforeEach(() => {
  vi.mocked(whatIf).mockReset().mockResolvedValue(answer());
  vi.mocked(rerun).mockReset();
  vi.mocked(moveLimits).mockReset().mockResolvedValue({ tag: "u" } as Draft);
  taken.mockReset();
  toChecks.mockReset();
});

it("asks for what was moved alone, and makes it the draft", async () => {
  tab();
  const most = await screen.findByRole("spinbutton", { name: /most, mm/ });
  expect(await screen.findByText(/of 100 items would have gone elsewhere/)).toBeInTheDocument();
  expect(screen.getByRole("button", { name: "Make it the draft" })).toBeDisabled();
  expect(asked()).toMatchObject({ limits: [], check: "rim", reading: "highest" });

  vi.mocked(whatIf).mockResolvedValue(answer({ changes: [{ from: "reject", to: "pass", n: 7, good: 2, bad: 1 }], after: { pass: 97, reject: 3 } }));
  fireEvent.change(most, { target: { value: "2.5" } });
  expect(await screen.findByText(/from reject to pass \(of them marked: 2 good, 1 bad\)/)).toBeInTheDocument();
  const move = { check: "rim", reading: "highest", bound: "most", value: 2.5 };
  expect(asked()).toMatchObject({ limits: [move] });
  expect(screen.getByText(/Passed: 90 as it was, 97 with these limits/)).toBeInTheDocument();

  await userEvent.click(screen.getByRole("button", { name: "Make it the draft" }));
  await waitFor(() => expect(toChecks).toHaveBeenCalled());
  expect(moveLimits).toHaveBeenCalledWith({ product: "p", role: "top" }, [move], expect.anything());
  expect(taken).toHaveBeenCalledWith({ tag: "u" });
});

it("moves limits of several readings, and none where one is put back to what it was", async () => {
  tab();
  fireEvent.change(await screen.findByRole("spinbutton", { name: /most, mm/ }), { target: { value: "2" } });
  await userEvent.selectOptions(screen.getByRole("combobox", { name: "Limit of" }), "tips.count");
  fireEvent.change(await screen.findByRole("spinbutton", { name: /least/ }), { target: { value: "11" } });
  await waitFor(() => expect(asked().limits).toHaveLength(2));
  fireEvent.change(screen.getByRole("spinbutton", { name: /least/ }), { target: { value: "12" } });
  await waitFor(() => expect(asked().limits).toEqual([{ check: "rim", reading: "highest", bound: "most", value: 2 }]));
  await userEvent.click(screen.getByRole("button", { name: "Put back" }));
  await waitFor(() => expect(asked().limits).toEqual([]));
});

it("says what only the picture can tell, and judges the pictures", async () => {
  vi.mocked(whatIf).mockResolvedValue(answer({ items: 0, unclear: 40 }));
  vi.mocked(rerun).mockImplementation((_k, _q, each) => (each(3, 9), Promise.resolve(answer({ items: 9, changes: [{ from: "pass", to: "reject", n: 4, good: 0, bad: 0 }] }))));
  tab();
  expect(await screen.findByText(/40 more were judged by a revision that looks at pictures otherwise/)).toBeInTheDocument();
  await userEvent.click(screen.getByRole("button", { name: "Judge the kept pictures" }));
  expect(await screen.findByText(/of 9 pictures would have gone elsewhere/)).toBeInTheDocument();
  expect(screen.queryByText(/40 more/)).toBeNull();
});

it("asks for shifts that were chosen", async () => {
  tab();
  await userEvent.selectOptions(await screen.findByRole("combobox", { name: "Items of" }), "shifts");
  await screen.findAllByRole("option", { name: "2026-03-02 late" });
  await userEvent.selectOptions(screen.getByRole("combobox", { name: "From shift" }), "2026-03-02/late");
  await waitFor(() => expect(asked()).toMatchObject({ shift: "2026-03-02/late", until_shift: "2026-03-02/late" }));
  await userEvent.selectOptions(screen.getByRole("combobox", { name: "to shift" }), "2026-03-02/night");
  await waitFor(() => expect(asked()).toMatchObject({ shift: "2026-03-02/late", until_shift: "2026-03-02/night" }));
  expect(asked()).not.toHaveProperty("from");
});

it("starts from what is saved, and says where no reading has limits", async () => {
  tab(true);
  expect(screen.getByRole("button", { name: "Save the draft" })).toBeInTheDocument();
  expect(whatIf).not.toHaveBeenCalled();
  vi.mocked(whatIf).mockResolvedValue(answer({ limits: [] }));
  tab();
  await userEvent.click(await screen.findByRole("button", { name: "Go to the checks" }));
  expect(toChecks).toHaveBeenCalled();
});
