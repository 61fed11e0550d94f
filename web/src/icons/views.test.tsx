import { fireEvent, render, screen } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { expect, test, vi } from "vitest";
import type { IconDesign, IconLooks, Icons, SmallLook } from "../api/client";
import { FilesView } from "./FilesView";
import { SmallView } from "./SmallView";
import { SquareFrame } from "./SquareFrame";

const FIGURE = { contrast: 4, detail: 0.7, stroke: 1.2, score: 62, verdict: "readable" as const };
const SETTING = { margin: 8, background: "#ffffff", corner: 0, is_small: false };

const small = (size: number, warning: string | null) =>
  ({
    size,
    plain: "data:,",
    icon: "data:,",
    untouched: "data:,",
    plain_legibility: { light: { ...FIGURE, score: 41 }, dark: FIGURE },
    legibility: { light: FIGURE, dark: FIGURE },
    can_be_touched: size !== 20,
    fingerprint: "f",
    is_touched_before: false,
    warning,
  }) as SmallLook;

const LOOKS = {
  source: { width: 300, height: 600 },
  square: { x: 0, y: 150, width: 300, height: 300 },
  notes: [],
  helps: [
    { help: "thicken", words: "Thicken strokes", sizes: [16, 20], is_used: true },
    { help: "sharpen", words: "Sharpen", sizes: [16], is_used: false },
  ],
  small: [small(16, "the mark is lost on dark tabs"), small(20, "the mark is lost on dark tabs"), small(32, null)],
  files: [
    {
      target: "touch",
      file_name: "touch-icon-180.png",
      words: "home screens",
      size: { width: 180, height: 180 },
      setting: SETTING,
      is_usual: false,
      picture: "data:,",
    },
  ],
  limits: { readable: 60, lost: 35, margin: 40, corner: 50 },
} as unknown as IconLooks;

const DESIGN = { name: "Tarn", without: ["sharpen"], touch_ups: {}, settings: { touch: SETTING }, small: null };
const design = DESIGN as unknown as IconDesign;

test("helps are set aside and taken again, and what is lost is told once", () => {
  const onEdit = vi.fn();
  render(
    <MemoryRouter>
      <SmallView design={design} looks={LOOKS} onEdit={onEdit} />
    </MemoryRouter>,
  );
  fireEvent.click(screen.getByRole("checkbox", { name: /Thicken/ }));
  expect(onEdit).toHaveBeenLastCalledWith({ without: ["sharpen", "thicken"] });
  fireEvent.click(screen.getByRole("checkbox", { name: /Sharpen/ }));
  expect(onEdit).toHaveBeenLastCalledWith({ without: [] });
  expect(screen.getAllByTestId("lost").map((one) => one.textContent)).toEqual([
    "At 16, 20 px the mark is lost on dark tabs",
  ]);
  expect(screen.getByText(/below 35 it is lost/)).toBeTruthy();
  expect(screen.getAllByRole("button", { name: "Touch up" }).length).toBe(2);
});

test("a file is set apart from what is usual, and set back", () => {
  const onEdit = vi.fn();
  render(<FilesView design={design} looks={LOOKS} icons={{ made: null } as unknown as Icons} onEdit={onEdit} />);
  const margin = screen.getByLabelText("touch-icon-180.png: margin in percent");
  fireEvent.change(margin, { target: { value: "20" } });
  expect(onEdit).toHaveBeenLastCalledWith({ settings: { touch: { ...SETTING, margin: 20 } } });
  fireEvent.click(screen.getByRole("button", { name: "Default" }));
  expect(onEdit).toHaveBeenLastCalledWith({ settings: {} });
});

test("the square is moved and resized by keys, inside of the picture", () => {
  const onSquare = vi.fn();
  const { source, square } = LOOKS;
  render(<SquareFrame picture="data:," source={source} square={square} isUsual onSquare={onSquare} />);
  const frame = screen.getByRole("group", { name: /300 × 300 px from 0, 150/ });
  fireEvent.keyDown(frame, { key: "ArrowDown" });
  expect(onSquare).toHaveBeenLastCalledWith({ x: 0, y: 156, width: 300, height: 300 });
  fireEvent.keyDown(frame, { key: "-" });
  expect(onSquare).toHaveBeenLastCalledWith({ x: 6, y: 156, width: 288, height: 288 });
  fireEvent.keyDown(frame, { key: "ArrowLeft", shiftKey: true });
  expect(onSquare).toHaveBeenLastCalledWith({ x: 0, y: 150, width: 300, height: 300 });
});
