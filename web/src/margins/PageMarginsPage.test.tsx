import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test, vi } from "vitest";
import type { PageComing } from "../api/client";
import { answers, asked } from "../testing/server";
import { shownAt } from "../testing/shown";
import { PageMarginsPage } from "./PageMarginsPage";

// A chart needs a canvas, which is not in here.
vi.mock("./Waterfall", () => ({ Waterfall: ({ name }: { name: string }) => <p>chart of {name}</p> }));

const weight = (total: number) => ({ total, picture: total - 20_000, lazy: 0, requests: 2 });
const figures = (total: number, lcp: number) => ({
  weight: weight(total),
  times: { first_paint: 900, lcp, last_picture: lcp, end: lcp },
});
const request = (address: string, bytes: number, lazy = false) => ({
  ...{ address, bytes, lazy, kind: "picture", lcp: !lazy, blocks: false },
  timing: lazy ? null : { discovered: 400, sent: 500, first_byte: 800, end: 2_100 },
});
const coming = {
  view: {
    connection: { value: "1600/150", words: "1.6 Mbit/s · 150 ms" },
    connections: [{ value: "1600/150", words: "1.6 Mbit/s · 150 ms" }],
    ...{ width: 390, widths: [390, 1280] },
  },
  page: {
    ...{ id: "walks", name: "Walks", address: "https://tarn.example/walks" },
    ...{ today: figures(900_000, 5_200), possible: figures(120_000, 1_400) },
    bytes: { budget: 200_000, weight: 900_000, margin: -700_000 },
    time: { budget: 2_500, time: 5_200, margin: -2_700 },
  },
  budgets: {},
  today: [request("https://tarn.example/ridge.jpg", 880_000), request("https://tarn.example/low.jpg", 90_000, true)],
  possible: [request("https://tarn.example/ridge.jpg", 100_000)],
  history: [
    { grown: [], weight: weight(900_000), measured_at: "2026-11-20T10:00:00Z" },
    {
      weight: weight(1_400_000),
      grown: [{ address: "/media/ridge.jpg", kind: "picture", before: 300_000, after: 1_380_000 }],
      measured_at: "2026-10-02T10:00:00Z",
    },
  ],
} as unknown as PageComing;

function show(told: PageComing) {
  answers(({ path, method }) => {
    if (method === "PUT") return new Response(null, { status: 204 });
    return path.endsWith("/walks") ? Response.json(told) : Response.json({}, { status: 404 });
  });
  return shownAt("/margins/walks", "/margins/:id", <PageMarginsPage />);
}

test("a page tells its overruns, each request once it is a table, and what it weighed before", async () => {
  show(coming);
  await screen.findByText("chart of Today");
  expect(screen.getByText("overrun 2,700 ms").className).toContain("overrun");
  const before = screen.getByRole("region", { name: "Before" });
  expect(within(before).getAllByRole("row")).toHaveLength(3);
  expect(within(before).getByText("1.40 MB")).toBeTruthy();
  expect(within(before).getByText("ridge.jpg 300 KB → 1.38 MB")).toBeTruthy();
  await userEvent.click(screen.getByRole("button", { name: "Table" }));
  const today = within(screen.getByRole("region", { name: "Today" }));
  expect(today.getByText("ridge.jpg").closest("tr")?.textContent).toContain("LCP880 KB400 ms500 ms2,100 ms");
  expect(today.getByText("low.jpg").closest("tr")?.textContent).toContain("lazy90.0 KB–––");
});

test("budgets are said in KB and ms, and only once they differ", async () => {
  show(coming);
  const save = await screen.findByRole("button", { name: "Save" });
  expect(save.title).toBe("Nothing was changed");
  await userEvent.type(screen.getByLabelText("Byte budget, KB"), "150");
  await userEvent.click(screen.getByRole("button", { name: "Save" }));
  await waitFor(() => {
    expect(asked.find(({ method }) => method === "PUT")?.body).toEqual({
      bytes: 150_000,
      time: null,
      seen: {},
    });
  });
});

test("another connection by figures of one's own stands in the address", async () => {
  const router = show({ ...coming, history: [] });
  await userEvent.click(await screen.findByRole("combobox", { name: "Connection" }));
  await userEvent.click(await screen.findByText("Own values…"));
  const down = screen.getByLabelText("Kilobits a second");
  await userEvent.clear(down);
  expect(screen.getByRole("button", { name: "Apply" }).title).toBe("Enter both figures");
  await userEvent.type(down, "2500");
  await userEvent.click(screen.getByRole("button", { name: "Apply" }));
  await waitFor(() => {
    expect(router.state.location.search).toBe("?connection=2500%2F150");
  });
  expect(screen.queryByRole("region", { name: "Before" })).toBeNull();
});
