import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { MemoryRouter, Route, Routes } from "react-router";
import { beforeEach, expect, test } from "vitest";
import type { Forecast } from "../api/client";
import { answers, asked } from "../testing/server";
import { NewRunPage } from "./NewRunPage";

const forecast = {
  ...{ pictures: 3, sets: 4, files: 24, sampled: 4, measured: 4, one_more_format: 8, one_more_density: 6 },
  ...{ today: 900_000, disk: 120_000, disk_free: 50_000, lacks_room: true, seconds: 12, within_limits: null },
  expected: { low: 250_000, about: 300_000, high: 350_000 },
  saving: { before: 900_000, after: 300_000, saved: 600_000, percent: 66.7 },
  skipped: [{ reason: "not-used", words: "used in no slot", pictures: 2 }],
  rule: "WebP, JPEG; good",
} as Forecast;

const squares = { id: "s", name: "Squares", sizes: { 0: { width: 160, height: null, ratio: { kind: "square" } } } };

/** What was asked of the server about runs. */
const sent = (path: string) => asked.filter((one) => one.path.endsWith(path)).map(({ body }) => body);

/** The page as the library opens it, over two pictures. */
function show(told: Forecast) {
  answers(({ method, path }) => {
    if (path.endsWith("/runs/forecast")) return Response.json(told);
    if (path.endsWith("/runs") && method === "POST") return Response.json({ id: "r" }, { status: 201 });
    if (path.endsWith("/size-sets")) return Response.json([squares]);
    if (path.endsWith("/layouts")) return Response.json({ pages: [], slots: [] });
    return Response.json({ detail: "of no concern here" }, { status: 404 });
  });
  // The address is also read from the window.
  window.history.replaceState(null, "", "/runs/new");
  const from = { pathname: "/runs/new", state: { which: { ids: ["a", "b"] } } };
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter initialEntries={[from]}>
        <Routes>
          <Route path="/runs/new" element={<NewRunPage />} />
          <Route path="/runs/r" element={<p>The run itself</p>} />
        </Routes>
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

const start = () => screen.getByRole<HTMLButtonElement>("button", { name: /Start run/ });

beforeEach(() => {
  document.body.innerHTML = "";
});

test("what it costs stands there before it starts, and a limit is forecast anew", async () => {
  show(forecast);
  await screen.findByText("24 files");
  expect(screen.getByText("2 pictures: used in no slot")).toBeTruthy();
  expect(screen.getByRole("alert").textContent).toContain("More than there is");
  await userEvent.type(screen.getByLabelText("At most so long"), "5");
  // Until the next forecast is there, the old one starts nothing.
  expect(start().disabled).toBe(true);
  expect(start().title).toBe("Being forecast anew");
  await waitFor(() => {
    expect(sent("/runs/forecast").at(-1)).toMatchObject({ limits: { minutes: 5 }, which: { ids: ["a", "b"] } });
    expect(start().disabled).toBe(false);
  });
  await userEvent.type(screen.getByLabelText("Name"), "Gallery");
  await userEvent.click(start());
  await screen.findByText("The run itself");
  expect(sent("/runs")).toEqual([expect.objectContaining({ name: "Gallery", limits: { minutes: 5 } })]);
});

test("where nothing would be made it cannot be started, and says why", async () => {
  show({ ...forecast, pictures: 0, sets: 0, files: 0 });
  await screen.findByText("0 files");
  await waitFor(() => {
    expect(start().title).toContain("Nothing is to be made");
  });
  expect(start().disabled).toBe(true);
});

test("a size preset is forecast beside the pictures that were chosen", async () => {
  show(forecast);
  await screen.findByText("24 files");
  await userEvent.click(screen.getByLabelText("In the sizes of these presets"));
  await userEvent.click(await screen.findByTitle("Squares · 160 × any, square"));
  await waitFor(() => {
    expect(sent("/runs/forecast").at(-1)).toMatchObject({ presets: ["s"], slots: [], which: { ids: ["a", "b"] } });
  });
});

test("a rule that is chosen for the run is forecast once it says something", async () => {
  show({ ...forecast, own_rule: "lean", rules: 3 });
  await screen.findByText("24 files");
  await userEvent.click(screen.getByText("One for this run"));
  expect(start().disabled).toBe(true);
  expect(screen.getByText(/The run’s rule says nothing yet/)).toBeTruthy();
  await userEvent.click(screen.getByLabelText("Quality target"));
  await userEvent.click(await screen.findByTitle("grade lean"));
  await waitFor(() => {
    expect(sent("/runs/forecast").at(-1)).toMatchObject({ rule: { want: { by: "grade", value: "lean" } } });
    expect(start().disabled).toBe(false);
  });
  expect(screen.getByText(/changes the own rule of 3 pictures/)).toBeTruthy();
});
