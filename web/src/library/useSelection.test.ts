import { act, renderHook } from "@testing-library/react";
import { expect, test } from "vitest";
import type { FilterBody } from "../api/client";
import { useSelection } from "./useSelection";

const order = ["a", "b", "c", "d"];

function selection(filter: FilterBody) {
  return renderHook(({ filter }) => useSelection(order, filter), { initialProps: { filter } });
}

test("a span goes from the row that was touched last, in the order of the list", () => {
  const { result } = selection({ search: "span" });
  act(() => {
    result.current.toggle("c");
  });
  act(() => {
    result.current.extend("a");
  });
  expect(result.current.which).toEqual({ ids: ["a", "b", "c"] });
  act(() => {
    result.current.toggle("b");
  });
  expect(result.current.which).toEqual({ ids: ["a", "c"] });
});

test("everything is told as the filter, and one row less as the rows that are left", () => {
  const filter = { search: "all" };
  const { result } = selection(filter);
  act(() => {
    result.current.all();
  });
  expect(result.current.which).toEqual({ filter });
  act(() => {
    result.current.toggle("d");
  });
  expect(result.current.which).toEqual({ ids: ["a", "b", "c"] });
});

test("what was selected in one list is not selected in another, and is there on coming back", () => {
  const { result, rerender, unmount } = selection({ search: "one" });
  act(() => {
    result.current.toggle("b");
  });
  rerender({ filter: { search: "other" } });
  expect(result.current.which).toBeUndefined();
  unmount();
  const first = selection({ search: "back" });
  act(() => {
    first.result.current.toggle("d");
  });
  first.unmount();
  expect(selection({ search: "back" }).result.current.which).toEqual({ ids: ["d"] });
});

test("a row of the list before is not selected in the one that has not come yet", () => {
  const { result, rerender } = renderHook(({ isReady }) => useSelection(order, { search: "slow" }, isReady), {
    initialProps: { isReady: false },
  });
  act(() => {
    result.current.toggle("a");
  });
  expect(result.current.which).toBeUndefined();
  rerender({ isReady: true });
  act(() => {
    result.current.only("b");
  });
  expect(result.current.which).toEqual({ ids: ["b"] });
});
