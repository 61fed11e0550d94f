import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { MemoryRouter } from "react-router";
import { beforeEach, expect, test } from "vitest";
import type { Run } from "../api/client";
import { answers, asked } from "../testing/server";
import { RunStrip } from "./RunStrip";

const run = {
  ...{ id: "r", name: "Gallery", state: "running", waiting: 6, done: 3, skipped: 1, failed: 1, taken_back: 0 },
  ...{ sets_a_minute: 8.4, seconds_left: 43, held: null, stopped: null },
  saving: { before: 900_000, after: 300_000, saved: 600_000, percent: 66.7 },
} as Run;

function show(runs: Run[], at: string) {
  answers(({ method }) => Response.json(method === "POST" ? { ...run, state: "paused" } : runs));
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter initialEntries={[at]}>
        <RunStrip />
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

beforeEach(() => {
  document.body.innerHTML = "";
});

test("the run that goes on is told on other screens, and is paused from there", async () => {
  const other = { ...run, id: "s", name: "People" };
  show([run, other], "/library");
  await screen.findByText("5 of 11 sets, 8.4 a minute, about 43 s left");
  expect(screen.getByText("1 failed")).toBeTruthy();
  expect(screen.getByText("1 other run behind it")).toBeTruthy();
  await userEvent.click(screen.getByRole("button", { name: "Pause run" }));
  await waitFor(() => {
    expect(asked.some(({ path }) => path.endsWith("/runs/r/pause"))).toBe(true);
  });
});

test("what holds it up is said, and its own screen does not say it twice", async () => {
  show([{ ...run, held: "the disk is full" }], "/layouts");
  await screen.findByText("waits: the disk is full");
  document.body.innerHTML = "";
  show([run], "/runs/r");
  await waitFor(() => {
    expect(asked.filter(({ path }) => path.endsWith("/runs/open")).length).toBe(2);
  });
  expect(screen.queryByText("Gallery")).toBeNull();
});
