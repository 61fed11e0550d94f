import { fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, test, vi } from "vitest";
import { shortcuts, useKey } from "./useKey";

function Listener({ heard }: { heard: (key: string) => void }) {
  useKey((event) => {
    heard(event.key);
  });
  return (
    <>
      <input aria-label="text" />
      <input type="checkbox" aria-label="box" />
      <button type="button">Do it</button>
    </>
  );
}

afterEach(() => {
  shortcuts.set(true);
  document.body.innerHTML = "";
});

test("a letter is a shortcut wherever nothing is typed, on a checkbox and a button too", () => {
  const heard = vi.fn();
  render(<Listener heard={heard} />);
  fireEvent.keyDown(screen.getByLabelText("text"), { key: "n" });
  expect(heard).not.toHaveBeenCalled();
  fireEvent.keyDown(screen.getByLabelText("box"), { key: "n" });
  fireEvent.keyDown(screen.getByText("Do it"), { key: "n" });
  expect(heard).toHaveBeenCalledTimes(2);
});

test("Enter on a button does only what the button says", () => {
  const heard = vi.fn();
  render(<Listener heard={heard} />);
  fireEvent.keyDown(screen.getByText("Do it"), { key: "Enter" });
  expect(heard).not.toHaveBeenCalled();
  fireEvent.keyDown(document.body, { key: "Enter" });
  expect(heard).toHaveBeenCalledExactlyOnceWith("Enter");
});

test("letters can be switched off; other keys stay", () => {
  const heard = vi.fn();
  render(<Listener heard={heard} />);
  shortcuts.set(false);
  fireEvent.keyDown(document.body, { key: "n" });
  fireEvent.keyDown(document.body, { key: "Escape" });
  expect(heard).toHaveBeenCalledExactlyOnceWith("Escape");
});
