import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test } from "vitest";
import { MultiSelect } from "./MultiSelect";

test("Tab leaves an open list, and takes nothing", async () => {
  const taken: string[][] = [];
  render(
    <>
      <MultiSelect<string>
        aria-label="Formats"
        options={[{ value: "webp", label: "WebP" }]}
        onChange={(values) => {
          taken.push(values);
        }}
      />
      <button type="button">Next</button>
    </>,
  );
  await userEvent.tab();
  await userEvent.keyboard("W");
  expect(screen.getByRole("combobox").getAttribute("aria-expanded")).toBe("true");
  await userEvent.tab();
  expect(document.activeElement?.textContent).toBe("Next");
  expect(taken).toEqual([]);
});
