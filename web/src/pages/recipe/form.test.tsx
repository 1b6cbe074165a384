import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { describe, expect, it, vi } from "vitest";
import type { KindInfo } from "../../api/workbench";
import type { Check } from "../../lib/recipe";
import { OrderEditor } from "../../ui/order";
import { Around, CheckForm } from "./form";

const kind: KindInfo = {
  kind: "count.spots",
  doc: "Counts spots.",
  datum: false,
  needs_reference: false,
  measures: [
    { name: "count", unit: "", doc: "Spots counted", whole: true },
    { name: "pitch", unit: "px", doc: "From one to the next", whole: false },
  ],
  texts: [],
  fields: ["region", "tone", "auto", "step", "split", "keep", "sort", "dark"],
  schema: {
    required: ["region"],
    properties: {
      region: { type: "object", properties: { rect: {}, circle: {} } },
      tone: { type: "object", properties: { least: {}, most: {} } },
      auto: { enum: ["lighter", "darker"] },
      step: { type: "integer", minimum: 0, maximum: 255 },
      split: { type: "number", minimum: 0, maximum: 5000 },
      keep: { type: "object", properties: { area: { type: "object", properties: { least: {}, most: {} } }, width: { type: "object", properties: { least: {}, most: {} } } } },
      sort: { type: "array" },
      dark: { type: "boolean" },
    },
  },
  defaults: { step: 20 },
};

const begin: Check = { id: "tips", kind: "count.spots", on: "tin", region: { rect: [10, 20, 30, 40] }, keep: { area: { least: 5 } }, limits: { pitch: { nominal: 10, tolerance: 1 } } };

/** The form with a check that it really changes; seen is called with each change. */
function Shown({ seen, check = begin, problem, paint = () => {}, base, pick = () => {} }: { seen: (c: Check) => void; check?: Check; problem?: (f: string) => string | undefined; paint?: (f: string, hole: boolean) => void; base?: Check; pick?: (f: string) => void }) {
  const [now, setNow] = useState(check);
  return (
    <CheckForm
      check={now}
      kind={kind}
      datums={["tin", "hole", "tips"]}
      change={(c) => {
        setNow(c);
        seen(c);
      }}
      problems={problem ?? (() => undefined)}
      readings={{ count: 12, pitch: 10.4321 }}
      paint={paint}
      base={base}
      pick={pick}
      picking={null}
    />
  );
}

describe("the form of a check", () => {
  it("marks what is a variant's own, and puts it back", async () => {
    const seen = vi.fn<(c: Check) => void>();
    const base: Check = { ...begin, keep: { area: { least: 9 } }, limits: { count: { least: 12, most: 12 }, pitch: { nominal: 10, tolerance: 1 } } };
    render(<Shown seen={seen} base={base} />);
    expect(screen.getByText("What is marked is this variant's own; all else is as in the base.")).toBeInTheDocument();
    expect(screen.queryByRole("textbox", { name: "Name" })).toBeNull(); // the checks are the base's
    await userEvent.click(screen.getByRole("button", { name: "keep as the base" }));
    expect(seen.mock.lastCall?.[0]["keep"]).toEqual({ area: { least: 9 } });
    await userEvent.click(screen.getByRole("button", { name: "Limits of count as the base" }));
    expect(seen.mock.lastCall?.[0]["limits"]).toEqual(base["limits"]);
    expect(screen.getByText("All as in the base.")).toBeInTheDocument();
    expect(screen.queryByRole("button", { name: /as the base/ })).toBeNull();
  });

  it("shows first what is set or must be, and folds the rest away", () => {
    render(<Shown seen={() => {}} />);
    const more = screen.getByText("More settings").closest("details")!;
    expect(within(more).getByLabelText("auto")).toBeInTheDocument();
    expect(within(more).queryByLabelText("region")).toBeNull();
    expect(screen.getByLabelText("region")).toHaveValue("rect");
  });

  it("offers the other datums, and never the check itself", async () => {
    const seen = vi.fn<(c: Check) => void>();
    render(<Shown seen={seen} />);
    const on = screen.getByLabelText("Rides on");
    expect([...on.querySelectorAll("option")].map((o) => o.textContent)).toEqual(["fixed in the frame", "tin", "hole"]);
    await userEvent.selectOptions(on, "");
    expect(seen.mock.lastCall?.[0]).not.toHaveProperty("on");
  });

  it("takes a name when one leaves the field, not while it is half written", async () => {
    const seen = vi.fn<(c: Check) => void>();
    render(<Shown seen={seen} />);
    const name = screen.getByLabelText("Name");
    await userEvent.clear(name);
    await userEvent.type(name, "ends");
    expect(seen).not.toHaveBeenCalled();
    await userEvent.tab();
    expect(seen.mock.lastCall?.[0].id).toBe("ends");
  });

  it("writes limits as least and most, also where a nominal was given, and takes empty ones out", async () => {
    const seen = vi.fn<(c: Check) => void>();
    render(<Shown seen={seen} />);
    const most = screen.getByLabelText("pitch at most");
    expect(most).toHaveValue(11);
    await userEvent.clear(most);
    expect(seen.mock.lastCall?.[0]["limits"]).toEqual({ pitch: { least: 9 } });
    await userEvent.type(most, "12.5");
    expect(seen.mock.lastCall?.[0]["limits"]).toEqual({ pitch: { least: 9, most: 12.5 } });
    expect(most).toHaveValue(12.5);
    await userEvent.clear(most);
    await userEvent.clear(screen.getByLabelText("pitch at least"));
    expect(seen.mock.lastCall?.[0]).not.toHaveProperty("limits");
  });

  it("takes the present reading as what is wanted: a count exactly, a length with tolerance", async () => {
    const seen = vi.fn<(c: Check) => void>();
    render(<Shown seen={seen} />);
    await userEvent.click(screen.getByRole("button", { name: "Expect count 12" }));
    await userEvent.click(screen.getByRole("button", { name: "Expect pitch 10.4321" }));
    expect(seen.mock.lastCall?.[0]["limits"]).toEqual({ count: { least: 12, most: 12 }, pitch: { nominal: 10.4, tolerance: 0.522 } });
  });

  it("keeps a half-written number on the screen", async () => {
    const seen = vi.fn<(c: Check) => void>();
    render(<Shown seen={seen} check={{ ...begin, step: 7 }} />);
    const step = screen.getByLabelText("step");
    await userEvent.clear(step);
    expect(seen.mock.lastCall?.[0]).not.toHaveProperty("step");
    expect(step).toHaveAttribute("placeholder", "20");
    await userEvent.type(step, "1.50");
    expect(seen.mock.lastCall?.[0]["step"]).toBe(1.5);
    expect((step as HTMLInputElement).value).toBe("1.50");
    expect(screen.getByLabelText("step, slider")).toHaveValue("1.5");
  });

  it("changes the form of a region about its middle, with its holes, and asks for the brush", async () => {
    const seen = vi.fn<(c: Check) => void>();
    const paint = vi.fn();
    render(<Shown seen={seen} paint={paint} />);
    await userEvent.click(screen.getByRole("button", { name: "Add a hole" }));
    expect(seen.mock.lastCall?.[0]["region"]).toEqual({ rect: [10, 20, 30, 40], without: [{ circle: [25, 40, 4] }] });
    await userEvent.selectOptions(screen.getByLabelText("region"), "circle");
    expect(seen.mock.lastCall?.[0]["region"]).toEqual({ circle: [25, 40, 15], without: [{ circle: [25, 40, 4] }] });
    await userEvent.click(screen.getByRole("button", { name: "Take the last hole of region out" }));
    expect(seen.mock.lastCall?.[0]["region"]).toEqual({ circle: [25, 40, 15] });
    await userEvent.click(screen.getByRole("button", { name: "Paint a hole" }));
    expect(paint).toHaveBeenLastCalledWith("region", true);
    await userEvent.selectOptions(screen.getByLabelText("region"), "mask");
    expect(paint).toHaveBeenLastCalledWith("region", false);
  });

  it("shows bands that are set, and the others on request", async () => {
    const seen = vi.fn<(c: Check) => void>();
    render(<Shown seen={seen} />);
    const keep = screen.getByRole("group", { name: "keep" });
    const width = within(keep).getByText("width").closest("details")!;
    expect(width).not.toHaveAttribute("open");
    await userEvent.type(within(width).getAllByRole("spinbutton")[1]!, "80");
    expect(seen.mock.lastCall?.[0]["keep"]).toEqual({ area: { least: 5 }, width: { most: 80 } });
  });

  it("takes lists as words or numbers with commas, and says when brackets do not close", async () => {
    const seen = vi.fn<(c: Check) => void>();
    render(<Shown seen={seen} check={{ ...begin, sort: [] }} />);
    const sort = screen.getByLabelText("sort");
    await userEvent.type(sort, "1, 2.5, 3{Enter}");
    expect(seen.mock.lastCall?.[0]["sort"]).toEqual([1, 2.5, 3]);
    await userEvent.clear(sort);
    await userEvent.type(sort, "red, blue{Enter}");
    expect(seen.mock.lastCall?.[0]["sort"]).toEqual(["red", "blue"]);
    await userEvent.clear(sort);
    await userEvent.type(sort, "[[1, 2{Enter}");
    expect(screen.getByText("The brackets do not close.")).toBeInTheDocument();
  });

  it("shows a problem at its field", () => {
    render(<Shown seen={() => {}} problem={(f) => (f === "region" ? "it is too small; make it larger" : undefined)} />);
    expect(screen.getByText("it is too small; make it larger")).toBeInTheDocument();
  });
});

describe("the form of a print check", () => {
  const print: KindInfo = {
    ...kind,
    kind: "print.quality",
    fields: ["symbologies", "taught", "first"],
    schema: {
      properties: {
        symbologies: { type: "array", items: { enum: ["ean-13", "qr"] } },
        taught: { type: "array", items: { properties: { file: {}, text: {} } } },
        first: { type: "object", properties: { of: { type: "string" }, day: { type: "string" } } },
      },
    },
    defaults: {},
  };
  it("offers words to tick, texts to name and lines to teach from", async () => {
    const user = userEvent.setup();
    const seen: Check[] = [];
    const added: string[] = [];
    const check: Check = { id: "agree", kind: "print.quality", symbologies: ["qr"], taught: [{ file: "digits.png", text: "123" }], first: { of: "date.text" } };
    function Own() {
      const [now, setNow] = useState(check);
      return (
        <Around value={{ texts: ["date.text", "code.lot"], addPicture: async (f) => (added.push(f.name), "more.png") }}>
          <CheckForm check={now} kind={print} datums={[]} change={(c) => (setNow(c), seen.push(c))} problems={() => undefined} readings={{}} paint={() => {}} pick={() => {}} picking={null} />
        </Around>
      );
    }
    const { container } = render(<Own />);
    await user.click(screen.getByLabelText("ean-13"));
    expect(seen.at(-1)!["symbologies"]).toEqual(["ean-13", "qr"]);
    await user.click(screen.getByLabelText("ean-13"));
    await user.click(screen.getByLabelText("qr"));
    expect(seen.at(-1)).not.toHaveProperty("symbologies");
    expect([...container.querySelectorAll("datalist option")].map((o) => o.getAttribute("value"))).toEqual(["date.text", "code.lot", "order.lot", "order.expiry", "order.price"]);
    await user.clear(screen.getByLabelText("of"));
    await user.type(screen.getByLabelText("of"), "code.lot{Enter}");
    expect(seen.at(-1)!["first"]).toEqual({ of: "code.lot" });
    await user.clear(screen.getByLabelText("What digits.png says"));
    await user.type(screen.getByLabelText("What digits.png says"), "456{Enter}");
    expect(seen.at(-1)!["taught"]).toEqual([{ file: "digits.png", text: "456" }]);
    await user.upload(screen.getByTestId("taught-picture"), new File(["x"], "789.png"));
    expect(added).toEqual(["789.png"]);
    await vi.waitFor(() => expect(seen.at(-1)!["taught"]).toEqual([{ file: "digits.png", text: "456" }, { file: "more.png", text: "789" }]));
    await user.click(screen.getByLabelText("Leave out digits.png"));
    expect(seen.at(-1)!["taught"]).toEqual([{ file: "more.png", text: "789" }]);
  });
});

describe("what is packed", () => {
  it("is taken over as names and values, and refuses what is no name", async () => {
    const user = userEvent.setup();
    const saved: Record<string, string>[] = [];
    render(<OrderEditor order={{}} hint="" save={async (o) => saved.push(o)} />);
    expect(screen.getByRole("button", { name: "Take over" })).toHaveProperty("disabled", true);
    await user.type(screen.getByLabelText("Value of lot"), "L4711");
    await user.clear(screen.getByLabelText("Name 2"));
    await user.type(screen.getByLabelText("Name 2"), "Best before");
    expect(screen.getByRole("alert").textContent).toContain("Best before is no name");
    await user.clear(screen.getByLabelText("Name 2"));
    await user.type(screen.getByLabelText("Name 2"), "price");
    await user.type(screen.getByLabelText("Value of price"), "4.90");
    await user.click(screen.getByRole("button", { name: "Take over" }));
    expect(saved).toEqual([{ lot: "L4711", price: "4.90" }]);
  });
});
