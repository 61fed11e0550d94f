import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { fireEvent, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test } from "vitest";
import type { Site } from "../api/client";
import { answers, asked } from "../testing/server";
import { ScheduleForm } from "./ScheduleForm";

test("a schedule is switched on, timed and saved; what is off says why it cannot be changed", async () => {
  const schedule = { is_on: false, at: 120, minutes: 60, only_idle: true };
  answers(() => Response.json({ schedule }));
  render(
    <QueryClientProvider client={new QueryClient()}>
      <ScheduleForm site={{ schedule } as Site} />
    </QueryClientProvider>,
  );
  const at = screen.getByLabelText<HTMLInputElement>("From, by the server’s clock");
  expect([at.disabled, at.title, at.value]).toEqual([true, "Switch it on first", "02:00"]);
  await userEvent.click(screen.getByLabelText(/Each day, make the files/));
  expect(at.disabled).toBe(false);
  fireEvent.change(at, { target: { value: "03:30" } });
  // An emptied field keeps the time that was.
  fireEvent.change(at, { target: { value: "" } });
  await userEvent.click(screen.getByRole("button", { name: "Save the schedule" }));
  await waitFor(() => {
    const saved = asked.filter(({ method }) => method === "PATCH").map(({ body }) => body);
    expect(saved).toEqual([{ schedule: { ...schedule, is_on: true, at: 210 }, seen: { schedule } }]);
  });
});
