import { Button, Input, InputNumber, Segmented } from "antd";
import { useState } from "react";
import type { Fit } from "../api/client";
import { useSite } from "../api/useSite";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import { useAddSlot } from "./useLayouts";

const FITS: Fit[] = ["cover", "contain", "width", "exact"];

type Sides = [number | null, number | null];

/** A slot typed by hand: where no page can be measured, or before there is one. */
export function AddSlot({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [name, setName] = useState("");
  const [fit, setFit] = useState<Fit>("cover");
  const [boxes, setBoxes] = useState<Record<number, Sides>>({});
  const add = useAddSlot();
  const widths = useSite().data?.widths ?? [];
  const typed = Object.fromEntries(
    Object.entries(boxes).flatMap(([viewport, [w, h]]) => (w !== null && h !== null ? [[viewport, [w, h]]] : [])),
  ) as Record<string, number[]>;
  const lacking =
    name.trim() === "" ? "Give it a name" : Object.keys(typed).length === 0 ? "Enter at least one box" : undefined;
  const set = (viewport: number, side: 0 | 1, value: number | null) => {
    const sides: Sides = [...(boxes[viewport] ?? [null, null])];
    sides[side] = value;
    setBoxes({ ...boxes, [viewport]: sides });
  };
  return (
    <SideSheet title="Add slot" open={open} onClose={onClose}>
      <form
        className="add-slot"
        onSubmit={(event) => {
          event.preventDefault();
          if (lacking) return;
          add.mutate(
            { name, kind: "text", fit, boxes: typed },
            {
              onSuccess: () => {
                setName("");
                setBoxes({});
              },
            },
          );
        }}
      >
        <Input
          aria-label="Name of the slot"
          placeholder="Name"
          value={name}
          onChange={({ target }) => {
            setName(target.value);
          }}
        />
        <Segmented aria-label="Fit of the slot" options={FITS} value={fit} onChange={setFit} />
        {widths.map(({ width: viewport }) => (
          <div key={viewport} className="part">
            <span className="figure viewport">{viewport} px:</span>
            <InputNumber
              aria-label={`Width at ${viewport} px`}
              controls={false}
              value={boxes[viewport]?.[0] ?? null}
              onChange={(value) => {
                set(viewport, 0, value);
              }}
            />{" "}
            ×
            <InputNumber
              aria-label={`Height at ${viewport} px`}
              controls={false}
              value={boxes[viewport]?.[1] ?? null}
              onChange={(value) => {
                set(viewport, 1, value);
              }}
            />{" "}
            CSS px
          </div>
        ))}
        <Button htmlType="submit" type="primary" disabled={lacking !== undefined} title={lacking}>
          Add slot
        </Button>
        {lacking && <span className="soft">{lacking}.</span>}
        {add.error && <ProblemNote error={add.error} />}
      </form>
    </SideSheet>
  );
}
