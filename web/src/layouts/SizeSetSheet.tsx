import { Button, Input, InputNumber, Select } from "antd";
import { useState } from "react";
import type { SetSize, SizeSet, Slot, SlotBoxes } from "../api/client";
import { count } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import { describeSizes } from "../ui/sizeSets";
import {
  boxesByHand,
  useApplySizeSet,
  useKeepSizeSet,
  useRemoveSizeSet,
  useSetBoxes,
  useSizeSets,
} from "../api/useSizeSets";

interface Props {
  open: boolean;
  onClose: () => void;
  /** The slots that are to be sized. */
  slots: Slot[];
}

/** Size presets: made here, and applied to all chosen slots at once. */
export function SizeSetSheet({ open, onClose, slots }: Props) {
  const sets = useSizeSets();
  const apply = useApplySizeSet();
  const back = useSetBoxes();
  const remove = useRemoveSizeSet();
  const keep = useKeepSizeSet();
  const [before, setBefore] = useState<SlotBoxes[]>();
  const [gone, setGone] = useState<SizeSet>();
  const lacking = slots.length === 0 ? "Mark slots in the table first" : undefined;
  const sized = slots.filter(({ boxes_by_hand }) => boxes_by_hand);
  const restore = (list: SlotBoxes[]) => {
    back.mutate(list, {
      onSuccess: () => {
        setBefore(undefined);
      },
    });
  };
  const error = apply.error ?? back.error ?? remove.error ?? keep.error ?? sets.error;
  return (
    <SideSheet title="Size presets" open={open} onClose={onClose} width={460}>
      <p className="soft">
        {slots.length === 0
          ? "Mark slots in the table to give them sizes."
          : `For ${count(slots.length, "marked slot")}: ${slots
              .slice(0, 3)
              .map(({ name }) => name)
              .join(", ")}${slots.length > 3 ? "…" : ""}.`}
      </p>
      {sets.data?.length === 0 && <p className="soft">No set yet. Make one below.</p>}
      <ul className="size-sets">
        {sets.data?.map((set) => (
          <li key={set.id}>
            <div>
              <b>{set.name}</b> <span className="soft">{describeSizes(set)}</span>
            </div>
            <Button
              disabled={lacking !== undefined}
              title={lacking}
              onClick={() => {
                apply.mutate({ set: set.id, slots }, { onSuccess: setBefore });
              }}
            >
              Apply
            </Button>
            <Button
              onClick={() => {
                remove.mutate(set.id, {
                  onSuccess: () => {
                    setGone(set);
                  },
                });
              }}
            >
              Remove
            </Button>
          </li>
        ))}
      </ul>
      {before && (
        <p className="notice" role="status">
          <b>Sized:</b> <span>{count(before.length, "slot")}.</span>{" "}
          <button
            type="button"
            className="quiet-button"
            onClick={() => {
              restore(before);
            }}
          >
            Take back
          </button>
        </p>
      )}
      {gone && (
        <p className="notice" role="status">
          <b>Removed:</b> <span>{gone.name}.</span>{" "}
          <button
            type="button"
            className="quiet-button"
            onClick={() => {
              keep.mutate(
                { name: gone.name, sizes: gone.sizes, seen: null },
                {
                  onSuccess: () => {
                    setGone(undefined);
                  },
                },
              );
            }}
          >
            Restore
          </button>
        </p>
      )}
      {sized.length > 0 && (
        <Button
          onClick={() => {
            back.mutate(
              sized.map((slot) => ({ slot_id: slot.id, boxes: null, seen: boxesByHand(slot) })),
              { onSuccess: setBefore },
            );
          }}
        >
          Back to the measured boxes ({sized.length})
        </Button>
      )}
      {error && <ProblemNote error={error} />}
      <NewSet />
    </SideSheet>
  );
}

type RatioKind = SetSize["ratio"]["kind"];

interface Line {
  from: number;
  width: number | null;
  height: number | null;
  ratio: RatioKind;
  across: number | null;
  down: number | null;
}

const EMPTY: Line = { from: 0, width: null, height: null, ratio: "free", across: 3, down: 2 };
const RATIOS: { value: RatioKind; label: string }[] = [
  { value: "free", label: "free" },
  { value: "square", label: "square" },
  { value: "typed", label: "typed" },
];

function sizeOf({ width, height, ratio, across, down }: Line): SetSize {
  return {
    width,
    height,
    ratio: ratio === "typed" ? { kind: ratio, across: across ?? 0, down: down ?? 0 } : { kind: ratio },
  };
}

/** A set of sizes being typed. What cannot be is refused by the server, in words. */
function NewSet() {
  const [name, setName] = useState("");
  const [lines, setLines] = useState([EMPTY]);
  const sets = useSizeSets();
  const keep = useKeepSizeSet();
  const lacking = name.trim() === "" ? "Give the set a name" : undefined;
  const change = (at: number, part: Partial<Line>) => {
    setLines(lines.map((line, n) => (n === at ? { ...line, ...part } : line)));
  };
  return (
    <form
      className="new-set"
      onSubmit={(event) => {
        event.preventDefault();
        if (lacking) return;
        const sizes = Object.fromEntries(lines.map((line) => [line.from, sizeOf(line)]));
        keep.mutate(
          { name, sizes, seen: sets.data?.find((set) => set.name === name.trim())?.sizes ?? null },
          {
            onSuccess: () => {
              setName("");
              setLines([EMPTY]);
            },
          },
        );
      }}
    >
      <h3>A new set</h3>
      <Input
        aria-label="Name of the set"
        placeholder="Name, as in Gallery squares"
        value={name}
        onChange={({ target }) => {
          setName(target.value);
        }}
      />
      {lines.map((line, n) => (
        <div key={n} className="set-line">
          from{" "}
          <InputNumber
            aria-label="From viewport width in px"
            controls={false}
            min={0}
            value={line.from}
            onChange={(from) => {
              change(n, { from: from ?? 0 });
            }}
          />{" "}
          px
          <InputNumber
            aria-label="Width in CSS px"
            placeholder="width"
            controls={false}
            value={line.width}
            onChange={(width) => {
              change(n, { width });
            }}
          />{" "}
          ×
          <InputNumber
            aria-label="Height in CSS px"
            placeholder="height"
            controls={false}
            value={line.height}
            onChange={(height) => {
              change(n, { height });
            }}
          />
          <Select
            aria-label="Ratio"
            options={RATIOS}
            value={line.ratio}
            onChange={(ratio) => {
              change(n, { ratio });
            }}
          />
          {line.ratio === "typed" && (
            <>
              <InputNumber
                aria-label="Ratio across"
                controls={false}
                value={line.across}
                onChange={(across) => {
                  change(n, { across });
                }}
              />{" "}
              :
              <InputNumber
                aria-label="Ratio down"
                controls={false}
                value={line.down}
                onChange={(down) => {
                  change(n, { down });
                }}
              />
            </>
          )}
        </div>
      ))}
      <div className="placing-actions">
        <Button
          onClick={() => {
            setLines([...lines, { ...EMPTY, from: (lines.at(-1)?.from ?? 0) + 600 }]);
          }}
        >
          Another width
        </Button>
        {lines.length > 1 && (
          <Button
            onClick={() => {
              setLines(lines.slice(0, -1));
            }}
          >
            One less
          </Button>
        )}
        <Button htmlType="submit" type="primary" disabled={lacking !== undefined} title={lacking}>
          Save preset
        </Button>
      </div>
      {lacking && <span className="soft">{lacking}.</span>}
      {keep.error && <ProblemNote error={keep.error} />}
    </form>
  );
}
