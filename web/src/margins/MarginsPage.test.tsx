import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test, vi } from "vitest";
import type { Margins } from "../api/client";
import { answers, asked } from "../testing/server";
import { shownAt } from "../testing/shown";
import { MarginsPage } from "./MarginsPage";

// There is no layout in here, and rows exist only where there is room for them.
vi.mock("@tanstack/react-virtual", () => ({
  useVirtualizer: ({ count }: { count: number }) => ({
    getTotalSize: () => 48 * count,
    getVirtualItems: () => Array.from({ length: count }, (_, index) => ({ index, start: 0, end: 48 * count })),
  }),
}));

const figures = (total: number, lcp: number) => ({ weight: { total }, times: { lcp } });
const page = (id: string, name: string, total: number, budget: number, lcp: number) => ({
  ...{ id, name, address: `https://tarn.example/${id}` },
  ...{ today: figures(total, lcp), possible: figures(total / 4, lcp / 2) },
  bytes: { budget, weight: total, margin: budget - total },
  time: { budget: 2500, time: lcp, margin: 2500 - lcp },
  saving: { before: total, after: total / 4, saved: (total * 3) / 4, percent: 75 },
});

const view = {
  connection: { value: "1600/150", words: "1.6 Mbit/s · 150 ms" },
  connections: [{ value: "1600/150", words: "1.6 Mbit/s · 150 ms" }],
  ...{ width: 390, widths: [390, 1280] },
};

const margins = {
  view,
  ...{ order: "time", unknown: 1 },
  pages: [page("a", "Gallery", 4_000_000, 700_000, 12_000), page("b", "Visit", 300_000, 700_000, 1_400)],
  saving: { before: 4_300_000, after: 1_075_000, saved: 3_225_000, percent: 75 },
  over: { bytes: 1, time: 1 },
  ...{ budgets: {}, usual_time: 2_500 },
  heavier: [
    {
      ...{ page: "b", page_name: "Tea room", before: 100_000, weight: { total: 300_000 } },
      grown: [{ address: "/media/tea.jpg", kind: "picture", before: 0, after: 200_000 }],
      measured_at: "2026-11-20T10:00:00Z",
    },
  ],
  by_slot: [
    {
      ...{ slot: "s", name: "Gallery · thumbnails (16)", files: 16, percent: 75 },
      saving: { before: 3_000_000, after: 300_000, saved: 2_700_000, percent: 90 },
    },
    {
      slot: "t",
      name: "Visit · header",
      files: 1,
      percent: 25,
      saving: { before: 1_000_000, after: 90_000, saved: 910_000, percent: 91 },
    },
  ],
  by_format: [
    {
      format: "jpeg",
      files: 17,
      percent: 100,
      saving: { before: 4_000_000, after: 390_000, saved: 3_610_000, percent: 90 },
    },
  ],
  gains: [
    {
      ...{ place: "p", page: "a", page_name: "Gallery", slot: "s", slot_name: "Gallery · thumbnails (16)" },
      ...{ picture: "dome", picture_name: "dome.jpg", time: 4_800 },
      saving: { before: 1_000_000, after: 40_000, saved: 960_000, percent: 96 },
    },
  ],
} as unknown as Margins;

/** What the margins were asked for. */
const views = () => asked.filter(({ path }) => path.endsWith("/margins")).map(({ query }) => query.toString());

function show(told: Margins) {
  answers(({ path }) =>
    path.endsWith("/margins") ? Response.json(told) : Response.json({ detail: "of no concern" }, { status: 404 }),
  );
  return shownAt("/margins", "/margins", <MarginsPage />);
}

test("each page tells both margins in words, and N opens the largest gain on the bench", async () => {
  const router = show(margins);
  const row = (await screen.findByText("Gallery")).closest("tr");
  expect(row && within(row).getByText("overrun 3.30 MB")).toBeTruthy();
  expect(row && within(row).getByText("overrun 9,500 ms")).toBeTruthy();
  const light = screen.getByText("Visit").closest("tr");
  expect(light && within(light).getByText("margin 1,100 ms")).toBeTruthy();
  expect(screen.getByTestId("margins-sum").textContent).toContain("1 page to be measured again");
  await userEvent.keyboard("n");
  await screen.findByText("elsewhere");
  expect(router.state.location.pathname + router.state.location.search).toBe("/bench/dome?slot=s");
});

test("another order is asked of the server, and stands in the address", async () => {
  const router = show(margins);
  await userEvent.click(await screen.findByRole("button", { name: "Could save" }));
  await waitFor(() => {
    expect(views()).toEqual(["order=time", "order=saving"]);
  });
  expect(router.state.location.search).toBe("?order=saving");
});

test("pages are found by words of their names or addresses", async () => {
  const router = show(margins);
  await userEvent.type(await screen.findByRole("textbox", { name: "Search pages" }), "vis");
  await waitFor(() => {
    expect(screen.queryByText("Gallery")).toBeNull();
  });
  expect(screen.getByRole("link", { name: "Visit" }).getAttribute("href")).toBe("/margins/b?find=vis");
  expect(router.state.location.search).toBe("?find=vis");
  await userEvent.type(screen.getByRole("textbox", { name: "Search pages" }), "x");
  await screen.findByText("No page is called so.");
});

test("what became heavier is told with the file that did it", async () => {
  show(margins);
  const told = await screen.findByText("tea.jpg new, 200 KB");
  expect(told.closest("li")?.textContent).toContain("Tea room100 KB → 300 KB");
});

test("weights are told by slot and by format, with their shares", async () => {
  const router = show(margins);
  await userEvent.click(await screen.findByText("Slots"));
  const row = (await screen.findByText("Visit · header")).closest("tr");
  expect(row?.textContent).toBe("Visit · header11.00 MB25.0 %90.0 KB910 KB");
  expect(router.state.location.search).toBe("?by=slots");
  await userEvent.click(screen.getByText("Formats"));
  expect((await screen.findByText("JPEG")).closest("tr")?.textContent).toContain("100.0 %");
});

test("where page views are known, a month is told, and what a table says is read", async () => {
  const month = { views: 12_000, today: 48_000_000_000, possible: 12_000_000_000, hours: 20 };
  const [gallery, visit] = margins.pages;
  if (!gallery || !visit) throw new Error("two pages");
  show({ ...margins, month, pages: [{ ...gallery, month }, visit] });
  const told = await screen.findByText("12,000 views a month, 48.0 GB → 12.0 GB");
  expect(told.closest("tr")?.textContent).toContain("Gallery");
  expect(screen.getByTestId("margins-sum").textContent).toContain("people wait about 20 h less");
  const table = new File(["page,views\n/visit,4\n/gone,1\n"], "views.csv", { type: "text/csv" });
  const read = { pages: 1, unmatched: ["line 3: /gone"], passed_over: [] };
  answers(({ path }) => {
    if (path.endsWith("views.csv")) return Response.json(read);
    return path.endsWith("/margins") ? Response.json(margins) : Response.json({}, { status: 404 });
  });
  await userEvent.upload(screen.getByLabelText(/Table of page views/), table);
  expect((await screen.findByText("1 page read, 1 row of no page")).title).toBe("line 3: /gone");
});

test("budgets of all pages are saved with the site", async () => {
  show(margins);
  await userEvent.click(await screen.findByRole("button", { name: "Budgets…" }));
  await userEvent.type(await screen.findByLabelText("Time budget, ms"), "2000");
  await userEvent.click(screen.getByRole("button", { name: "Save" }));
  await waitFor(() => {
    const saved = asked.find(({ method }) => method === "PATCH");
    expect([saved?.path.endsWith("/site"), saved?.body]).toEqual([
      true,
      { page_budgets: { bytes: null, time: 2_000 }, seen: { page_budgets: {} } },
    ]);
  });
});

test("a site that was not measured says how to begin", async () => {
  show({ ...margins, pages: [], unknown: 0, view: { ...view, width: null, widths: [] }, gains: [] });
  await screen.findByText("No page measured yet");
  expect(screen.getByRole("link", { name: "measure it in Layouts" }).getAttribute("href")).toBe("/layouts");
});
