import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, expect, test } from "vitest";
import type { Site } from "../api/client";
import { answers, asked } from "../testing/server";
import { WatchForm } from "./WatchForm";

afterEach(cleanup);

test("measuring again is switched on for so many days; what the server refuses is told", async () => {
  const watch = { is_on: false, at: 240, days: 1 };
  answers(() => Response.json({ detail: "give a time of the day, and 1 to 31 days" }, { status: 422 }));
  render(
    <QueryClientProvider client={new QueryClient()}>
      <WatchForm site={{ watch } as Site} />
    </QueryClientProvider>,
  );
  const days = screen.getByLabelText<HTMLInputElement>("After so many days");
  expect([days.disabled, days.title]).toEqual([true, "Switch it on first"]);
  await userEvent.click(screen.getByLabelText(/Measure the pages again/));
  await userEvent.clear(days);
  await userEvent.type(days, "7");
  await userEvent.click(screen.getByRole("button", { name: "Save when to measure" }));
  await screen.findByText(/1 to 31 days/);
  answers(() => Response.json({ watch }));
  await userEvent.click(screen.getByRole("button", { name: "Save when to measure" }));
  await waitFor(() => {
    const saved = asked.filter(({ method }) => method === "PATCH").map(({ body }) => body);
    expect(saved.at(-1)).toEqual({ watch: { is_on: true, at: 240, days: 7 }, seen: { watch } });
  });
  await screen.findByText("Saved.");
});

test("what somebody else saved since the form was opened is not overwritten unseen", async () => {
  const opened = { is_on: false, at: 240, days: 1 };
  const theirs = { is_on: true, at: 240, days: 2 };
  const detail = "somebody else saved this in the meantime, and nothing was overwritten";
  answers(() => Response.json({ detail }, { status: 409 }));
  const form = (watch: typeof opened) => (
    <QueryClientProvider client={new QueryClient()}>
      <WatchForm site={{ watch } as Site} />
    </QueryClientProvider>
  );
  const { rerender } = render(form(opened));
  await userEvent.click(screen.getByLabelText(/Measure the pages again/));
  // Theirs arrives while this form is open, and what was typed here stays.
  rerender(form(theirs));
  const save = screen.getByRole("button", { name: "Save when to measure" });
  await userEvent.click(save);
  await screen.findByText(/somebody else saved this/);
  answers(() => Response.json({ watch: theirs }));
  await userEvent.click(save);
  await screen.findByText("Saved.");
  const seen = asked.filter(({ method }) => method === "PATCH").map(({ body }) => (body as { seen: unknown }).seen);
  expect(seen).toEqual([{ watch: opened }, { watch: theirs }]);
});
