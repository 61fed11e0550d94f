import { fireEvent, render, screen } from "@testing-library/react";
import { expect, test, vi } from "vitest";
import type { TrialFrame } from "../../api/client";
import { FrameChoice, frameWords } from "./FrameChoice";

const place = { x: 0, y: 0, width: 8, height: 8 };
const of = (frame: number, score: number): TrialFrame => ({
  frame,
  begins: frame * 80,
  score,
  spot: { place, score },
});
/** The worst first, as the server tells them. */
const frames = [of(2, 41.4), of(0, 80), of(1, 90)];

test("a frame is told by its time and score, and the worst as such", () => {
  expect(frameWords(frames, of(2, 41.4))).toBe("frame 3 of 3, the worst, at 0.16 s, there 41");
  expect(frameWords(frames, of(1, 90))).toBe("frame 2 of 3, at 0.08 s, there 90");
});

test("the keys go through frames in the order of time", () => {
  const choose = vi.fn();
  render(<FrameChoice frames={frames} shown={of(1, 90)} onChoose={choose} />);
  const slider = screen.getByRole("slider", { name: "Frame shown" });
  expect(slider.getAttribute("aria-valuenow")).toBe("2");
  fireEvent.keyDown(slider, { key: "ArrowRight", keyCode: 39, which: 39 });
  expect(choose).toHaveBeenCalledWith(2);
});
