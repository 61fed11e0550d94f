import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test } from "vitest";
import type { Site } from "../api/client";
import { answers, asked } from "../testing/server";
import { WatchForm } from "./WatchForm";

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
    expect(saved.at(-1)).toEqual({ watch: { is_on: true, at: 240, days: 7 } });
  });
  await screen.findByText("Saved.");
});
