import { act, renderHook } from "@testing-library/react";
import { BrowserRouter } from "react-router";
import { expect, test } from "vitest";
import { useAddress } from "./useAddress";

test("a view that is left already changes nothing any more", () => {
  history.replaceState(null, "", "/library?q=dome");
  const { result } = renderHook(() => useAddress(), { wrapper: BrowserRouter });
  act(() => {
    result.current[1]({ at: "one" });
  });
  expect(location.search).toBe("?q=dome&at=one");
  // Another view is on its way, and this one is still in sight.
  history.pushState(null, "", "/library/one");
  act(() => {
    result.current[1]({ at: "two" });
  });
  expect(location.pathname + location.search).toBe("/library/one");
});
