import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, test } from "vitest";
import { answers, asked } from "../testing/server";
import { shownAt } from "../testing/shown";
import { IconsPage } from "./IconsPage";
import { sharedTroubles, sizeWords } from "./servedWords";
import type { CheckedIcon } from "../api/client";

const DESIGN = {
  master: null,
  small: null,
  dark: null,
  square: null,
  name: "Tarn",
  colour: "#12304f",
  background: "#ffffff",
  prefix: "/",
  settings: {},
  without: [],
  touch_ups: {},
  line: "",
};

/** A server that keeps a design, or was saved to by somebody else in the meantime. */
function keeping(isLate: boolean) {
  let design = DESIGN;
  answers(({ method, path, body }) => {
    if (path.endsWith("/pictures")) return Response.json({ pictures: [], total: 0, next: null });
    if (path.endsWith("/icons") && method === "PUT") {
      if (isLate) return Response.json({ detail: "somebody else saved it in the meantime" }, { status: 409 });
      design = (body as { design: typeof DESIGN }).design;
    }
    return Response.json({ design, version: 3, made: null, checked: null });
  });
}

test("what cannot be done yet says why", async () => {
  keeping(false);
  shownAt("/icons", "/icons", <IconsPage />);
  const make = await screen.findByRole<HTMLButtonElement>("button", { name: "Make files" });
  expect([make.disabled, make.title]).toEqual([true, "Choose a master first"]);
  expect(screen.getByRole("button", { name: "Publish…" }).title).toBe("Make the files first");
  expect(screen.getByText("No master yet")).toBeTruthy();
});

test("who saves second is told, and keeps what was decided", async () => {
  keeping(true);
  shownAt("/icons", "/icons", <IconsPage />);
  fireEvent.change(await screen.findByLabelText("Name of the site"), { target: { value: "Light" } });
  expect(screen.getByText("Unsaved changes")).toBeTruthy();
  fireEvent.click(screen.getByRole("button", { name: "More" }));
  fireEvent.click(await screen.findByText("Save without making files"));
  await screen.findByText(/somebody else saved it/);
  const saved = asked.find(({ method }) => method === "PUT")?.body as { version: number };
  expect(saved.version).toBe(3);
  expect(screen.getByLabelText<HTMLInputElement>("Name of the site").value).toBe("Light");
});

test("what was decided can be discarded", async () => {
  keeping(false);
  shownAt("/icons", "/icons", <IconsPage />);
  const name = await screen.findByLabelText<HTMLInputElement>("Name of the site");
  fireEvent.change(name, { target: { value: "Light" } });
  fireEvent.click(screen.getByRole("button", { name: "More" }));
  fireEvent.click(await screen.findByText("Discard unsaved changes"));
  await waitFor(() => {
    expect(name.value).toBe("Tarn");
  });
});

test("what is wrong with all of several icons is told once", () => {
  const icon = (...words: string[]) =>
    ({ troubles: words.map((words) => ({ words })), sizes: [] }) as unknown as CheckedIcon;
  const shared = (icons: CheckedIcon[]) => sharedTroubles(icons).map(({ words }) => words);
  expect(shared([icon("not kept"), icon("not kept", "no square"), icon("not kept")])).toEqual(["not kept"]);
  expect(shared([icon("not kept"), icon("not kept")])).toEqual([]);
  expect(shared([icon("not kept"), icon(), icon("not kept")])).toEqual([]);
  expect(sizeWords([16, 32].map((side) => ({ width: side, height: side })))).toBe("16, 32 px");
  expect(sizeWords([{ width: 1200, height: 630 }])).toBe("1200 × 630 px");
});
