import { Slider } from "antd";
import type { TrialFrame } from "../../api/client";

interface Props {
  /** The frames of the trial, the worst first. */
  frames: TrialFrame[];
  /** The one that is shown. */
  shown: TrialFrame;
  onChoose: (frame: number) => void;
}

/** Which frame of a moving trial is shown: any, in the order of time. The worst has a mark. */
export function FrameChoice({ frames, shown, onChoose }: Props) {
  const last = frames.length;
  return (
    <Slider
      className="frame-choice"
      ariaLabelForHandle="Frame shown"
      min={1}
      max={last}
      value={shown.frame + 1}
      marks={{ [(frames[0]?.frame ?? 0) + 1]: " " }}
      tooltip={{ formatter: (frame) => `frame ${frame} of ${last}` }}
      onChange={(frame) => {
        onChoose(frame - 1);
      }}
    />
  );
}

/** When a frame is shown and how faithful it is, in words. */
export function frameWords(frames: TrialFrame[], { frame, begins, score }: TrialFrame) {
  const worst = frames[0]?.frame === frame ? ", the worst" : "";
  return `frame ${frame + 1} of ${frames.length}${worst}, at ${(begins / 1_000).toFixed(2)} s, there ${score.toFixed(0)}`;
}
