import { screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";
import { answers, asked } from "../testing/server";
import { shownAt } from "../testing/shown";
import { WeaknessNote } from "./WeaknessNote";

async function shown(weaknesses: string[]) {
  answers(() => Response.json({ status: "ok", version: "1", weaknesses }));
  shownAt("/", "/", <WeaknessNote />);
  await waitFor(() => {
    expect(asked.map(({ path }) => path)).toEqual(["/api/health"]);
  });
}

test("a browser without its sandbox is told, and stays in view", async () => {
  await shown(["measured pages run in a browser without its sandbox"]);
  expect((await screen.findByRole("status")).textContent).toContain("without its sandbox");
});

test("nothing is said where all of the protection holds", async () => {
  await shown([]);
  expect(screen.queryByRole("status")).toBeNull();
});
