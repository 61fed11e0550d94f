import { Switch } from "antd";
import { SideSheet } from "./SideSheet";
import { shortcuts, useShortcutsOn } from "./useKey";

const KEYS: [string[], string][] = [
  [["?"], "Show or hide this list"],
  [["/"], "Search the library"],
  [["G", "then", "M"], "Go to the margins"],
  [["G", "then", "Y"], "Go to the layouts"],
  [["G", "then", "L"], "Go to the library"],
  [["G", "then", "B"], "Go back to the bench"],
  [["G", "then", "R"], "Go to the runs"],
  [["G", "then", "P"], "Go to what is published"],
  [["G", "then", "I"], "Go to the icons"],
  [["P"], "Bench and runs: what it would change on the site"],
  [["↑", "↓"], "Move in the library"],
  [["Space"], "Select or leave the row; with Shift, all rows up to it"],
  [["Alt", "↑ ↓"], "Move the row to another place in its collection"],
  [["Ctrl", "A"], "Select all that meet the filter"],
  [["Enter"], "Library: open the picture; on its page, open it on the bench. Bench: make the file"],
  [["U"], "Take back what was done last"],
  [
    ["Enter"],
    "Edit details: Enter opens a cell, then saves it and goes down; Tab saves it and goes right, Escape discards it",
  ],
  [
    ["N"],
    "Margins: the place with most to gain, on the bench. Layouts: the next issue, in the slot that wastes most first. Runs: the next result, the lowest score first",
  ],
  [["K", "R"], "Results to check: approve, refuse"],
  [["+", "−"], "Layouts: closer, further away; drag or hold Space to pan, Ctrl and wheel to zoom"],
  [["A"], "Show or hide uploads"],
  [
    ["← → ↑ ↓"],
    "Bench: move the focal point by 1 % (Shift: 10 %), or the frame by 1 px (Shift: 10 px), while it has the focus",
  ],
  [["F", "K", "H"], "Frame: set the focal point, draw the keep area, frame by hand"],
  [["C", "L"], "Frame: crop the picture itself, S for a square, Enter applies it; straighten by a line"],
  [["R", "M"], "Bench: rotate right, flip left to right; with Shift, rotate left, flip top to bottom"],
  [["Ctrl", "S"], "Bench: save to all its slots"],
  [
    ["0", "1", "2", "3"],
    "Bench: all in view, 100 %, 200 %, device pixels; Space and a drag, or the middle button, pan",
  ],
  [["Ctrl", "Z"], "Bench: undo; with Shift, redo"],
  [["O"], "Bench: hold to see the original in place of the result"],
  [["Z"], "Bench: true size or twice that"],
  [["N", "D"], "Encode: the next worst spot, of what moves the next worst frame; show where each trial differs"],
  [["[", "]"], "Encode: the lighter trial, the heavier one"],
];

/** The list of shortcuts, as a side sheet. */
export function Shortcuts({ open, onClose }: { open: boolean; onClose: () => void }) {
  const on = useShortcutsOn();
  return (
    <SideSheet title="Shortcuts" open={open} onClose={onClose}>
      <div className="part shortcut-switch">
        <Switch
          size="small"
          aria-labelledby="single-letters"
          checked={on}
          onChange={(next) => {
            shortcuts.set(next);
          }}
        />
        <span id="single-letters">Single letters are shortcuts</span>
      </div>
      <dl className="keys">
        {KEYS.map(([keys, meaning]) => (
          <div key={meaning} style={{ display: "contents" }}>
            <dt>{keys.map((key) => (key === "then" ? ` ${key} ` : <kbd key={key}>{key}</kbd>))}</dt>
            <dd>{meaning}</dd>
          </div>
        ))}
      </dl>
    </SideSheet>
  );
}
