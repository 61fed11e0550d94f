import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { fireEvent, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, test, vi } from "vitest";
import type { Picture } from "../api/client";
import { answers } from "../testing/server";
import { DescribeGrid } from "./DescribeGrid";

const description = { title: "", alt: "", caption: "", creator: "", licence: "", source: "", decorative: false };
const picture = { id: "p1", name: "dome.jpg", description, issues: [] } as unknown as Picture;

// There is no layout in here, and rows exist only where there is room for them.
vi.mock("@tanstack/react-virtual", () => ({
  useVirtualizer: ({ count }: { count: number }) => ({
    getTotalSize: () => 44 * count,
    getVirtualItems: () => Array.from({ length: count }, (_, index) => ({ index, start: 44 * index })),
    scrollToIndex: vi.fn(),
  }),
}));

test("words that could not be saved say so, stay, and are saved by trying again", async () => {
  answers(() => Response.json({ detail: "the disk is full" }, { status: 500 }));
  render(
    <QueryClientProvider client={new QueryClient()}>
      <DescribeGrid pictures={[picture]} onEnd={vi.fn()} onLeave={vi.fn()} />
    </QueryClientProvider>,
  );
  const grid = screen.getByRole("grid");
  await screen.findByText("dome.jpg");
  fireEvent.keyDown(grid, { key: "T" });
  await userEvent.type(screen.getByRole("textbox"), "he dome at dusk{Enter}");
  await waitFor(() => {
    expect(screen.getByText("not saved:")).toBeTruthy();
  });
  expect(screen.getByText("The dome at dusk")).toBeTruthy();
  answers(() => Response.json(null));
  fireEvent.keyDown(grid, { key: "Enter" });
  await userEvent.type(screen.getByRole("textbox"), "{Enter}");
  await waitFor(() => {
    expect(screen.queryByText("not saved:")).toBeNull();
  });
  expect(screen.getByText("The dome at dusk")).toBeTruthy();
});
