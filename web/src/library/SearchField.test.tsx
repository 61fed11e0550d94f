import { act, fireEvent, render, screen } from "@testing-library/react";
import { useRef } from "react";
import { BrowserRouter, useLocation } from "react-router";
import { expect, test, vi } from "vitest";
import type { InputRef } from "antd";
import { SearchField } from "./SearchField";

function Page() {
  return (
    <>
      <SearchField ref={useRef<InputRef>(null)} />
      <output>{useLocation().search}</output>
    </>
  );
}

test("a letter that is typed while the address follows is not lost", () => {
  vi.useFakeTimers();
  history.replaceState(null, "", "/library");
  render(
    <BrowserRouter>
      <Page />
    </BrowserRouter>,
  );
  const field = screen.getByRole<HTMLInputElement>("textbox");
  fireEvent.change(field, { target: { value: "dom" } });
  // The pause is over, and nothing was drawn since.
  vi.advanceTimersByTime(300);
  expect(field.value).toBe("dom");
  fireEvent.change(field, { target: { value: `${field.value}e` } });
  act(() => {
    vi.advanceTimersByTime(300);
  });
  expect(field.value).toBe("dome");
  vi.useRealTimers();
});
