import { Segmented } from "antd";
import { useKey } from "../ui/useKey";
import type { Zoom } from "./useStage";

const ZOOMS: { value: Zoom; label: string; title: string }[] = [
  { value: "fit", label: "whole", title: "All of it in view (0)" },
  { value: "100", label: "100 %", title: "One pixel of the picture on one CSS pixel (1)" },
  { value: "200", label: "200 %", title: "Twice that (2)" },
  { value: "device", label: "device px", title: "One pixel of the picture on one device pixel (3)" },
];

/** How large the picture is shown; the keys 0 to 3 do the same. */
export function ZoomChoice({ zoom, onZoom }: { zoom: Zoom; onZoom: (zoom: Zoom) => void }) {
  useKey((event) => {
    const chosen = ZOOMS[["0", "1", "2", "3"].indexOf(event.key)];
    if (chosen) onZoom(chosen.value);
  });
  return <Segmented aria-label="Zoom" options={ZOOMS} value={zoom} onChange={onZoom} />;
}
