import { Slider } from "antd";

/** How large the pictures of the contact sheet are, in CSS px. */
export function PictureSize({ side, onSide }: { side: number; onSide: (side: number) => void }) {
  return (
    <Slider
      ariaLabelForHandle="Size of the pictures"
      min={96}
      max={320}
      step={16}
      value={side}
      onChange={onSide}
      style={{ width: 110 }}
      tooltip={{ open: false }}
    />
  );
}
