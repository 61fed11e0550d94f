import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { fireEvent, render, screen, waitFor } from "@testing-library/react";
import { MemoryRouter, Route, Routes } from "react-router";
import { expect, test } from "vitest";
import type { RunCheck } from "../api/client";
import { answers, asked } from "../testing/server";
import { notices } from "../ui/notice";
import { CheckPage } from "./CheckPage";

const check = (place: number, name: string) =>
  ({ place, name, slot_name: "Card", picture: name, slot: "s", score: 70, word: "good", encoding: "" }) as RunCheck;

/** A server that keeps what was decided. */
function keeping(checks: RunCheck[]) {
  const decided = new Set<number>();
  answers(({ method, path, body }) => {
    const places = (body as { places?: number[] } | undefined)?.places ?? [];
    if (method === "POST") {
      const back = path.endsWith("/again") || (body as { approved?: boolean }).approved === false;
      for (const place of places) {
        if (back) decided.delete(place);
        else decided.add(place);
      }
      return Response.json({ sets: places.length });
    }
    if (path.endsWith("/checks")) return Response.json(checks.filter(({ place }) => !decided.has(place)));
    return Response.json({ id: "r", name: "Gallery", unchecked: checks.length - decided.size });
  });
}

const show = () =>
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter initialEntries={["/runs/r/check"]}>
        <Routes>
          <Route path="/runs/:id/check" element={<CheckPage />} />
        </Routes>
      </MemoryRouter>
    </QueryClientProvider>,
  );

test("results are approved and refused by keyboard, and a refusal is taken back", async () => {
  keeping([check(1, "dome.jpg"), check(2, "moor.jpg"), check(3, "path.jpg")]);
  show();
  await screen.findByText("dome.jpg");
  const focused = () => document.activeElement?.getAttribute("aria-label");
  fireEvent.keyDown(document.body, { key: "n" });
  expect(focused()).toContain("dome.jpg");
  fireEvent.keyDown(document.activeElement ?? document.body, { key: "k" });
  await waitFor(() => {
    expect(screen.queryByText("dome.jpg")).toBeNull();
  });
  // The next one takes its place, so that the hand stays where it is.
  await waitFor(() => {
    expect(focused()).toContain("moor.jpg");
  });
  fireEvent.keyDown(document.activeElement ?? document.body, { key: "r" });
  await waitFor(() => {
    expect(screen.queryByText("moor.jpg")).toBeNull();
  });
  const sent = asked.filter(({ method }) => method === "POST").map(({ path, body }) => [path.split("/").at(-1), body]);
  expect(sent).toEqual([
    ["approve", { places: [1], approved: true }],
    ["take-back", { places: [2] }],
  ]);
  expect(notices.current()?.words).toContain("Refused: the files of moor.jpg");
  await notices.current()?.undo?.();
  await screen.findByText("moor.jpg");
});

test("what nobody has to look at any more is said", async () => {
  keeping([]);
  show();
  await screen.findByText("Nothing left to look at");
});
