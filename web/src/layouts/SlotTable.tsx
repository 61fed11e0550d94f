import { useVirtualizer } from "@tanstack/react-virtual";
import { Checkbox, Input, Segmented } from "antd";
import { useEffect, useMemo, useRef } from "react";
import type { Slot } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { count } from "../ui/figures";
import { MarginBar } from "../ui/MarginBar";
import { useAddress } from "../ui/useAddress";

type Order = "waste" | "overrun" | "name";

const ORDERS: { value: Order; label: string }[] = [
  { value: "waste", label: "Waste" },
  { value: "overrun", label: "Overrun" },
  { value: "name", label: "Name" },
];

const compare: Record<Order, (a: Slot, b: Slot) => number> = {
  waste: (a, b) => b.wasted - a.wasted,
  overrun: (a, b) => (a.margin?.margin ?? Infinity) - (b.margin?.margin ?? Infinity),
  name: (a, b) => a.name.localeCompare(b.name),
};

interface Props {
  slots: Slot[];
  chosen: string | undefined;
  onChoose: (slot: Slot) => void;
  /** The slots that are marked, to be sized together. */
  marked: string[];
  onMark: (ids: string[]) => void;
}

/** What a slot takes, in CSS px: its figures, and its state in words below them. */
const ROW = 46;

/** Every slot of the site, the most to gain first; only the rows in view exist. */
export function SlotTable({ slots, chosen, onChoose, marked, onMark }: Props) {
  const [address, change] = useAddress();
  const order = ORDERS.find(({ value }) => value === address.get("order"))?.value ?? "waste";
  const search = address.get("find") ?? "";
  const scroller = useRef<HTMLDivElement>(null);
  const named = search.trim().toLowerCase();
  const sorted = useMemo(
    () => slots.filter(({ name, kind }) => `${name} ${kind}`.toLowerCase().includes(named)).toSorted(compare[order]),
    [slots, named, order],
  );
  const rows = useVirtualizer({
    count: sorted.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 8,
    scrollPaddingStart: 28,
  });
  const { scrollToIndex } = rows;
  const at = sorted.findIndex(({ id }) => id === chosen);
  useEffect(() => {
    if (at >= 0) scrollToIndex(at);
  }, [at, scrollToIndex]);
  const all = sorted.length > 0 && sorted.every(({ id }) => marked.includes(id));
  const mark = (id: string) => {
    onMark(marked.includes(id) ? marked.filter((other) => other !== id) : [...marked, id]);
  };
  return (
    <section className="slots" aria-label="Slots">
      <div className="bar">
        <h2>{slots.length.toLocaleString("en")} slots</h2>
        <Input
          aria-label="Search slots"
          placeholder="Search slots"
          allowClear
          value={search}
          style={{ width: 120 }}
          onChange={({ target }) => {
            change({ find: target.value });
          }}
        />
        <Segmented
          aria-label="Order of the slots"
          options={ORDERS}
          value={order}
          onChange={(next) => {
            change({ order: next });
          }}
        />
      </div>
      <div className="slot-rows" ref={scroller} role="table" aria-label="Slots" aria-rowcount={sorted.length + 1}>
        <div className="slot-head" role="row">
          <span role="columnheader">
            <Checkbox
              aria-label="Mark all slots shown"
              checked={all}
              indeterminate={!all && marked.length > 0}
              onChange={() => {
                onMark(all ? [] : sorted.map(({ id }) => id));
              }}
            />
          </span>
          <span role="columnheader">Slot</span>
          <span role="columnheader" className="right">
            Used · wasted · weight against budget
          </span>
        </div>
        <div className="slot-list" role="rowgroup" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map(({ index, start }) => {
            const slot = sorted[index];
            return (
              slot && (
                <SlotRow
                  key={slot.id}
                  slot={slot}
                  index={index}
                  top={start}
                  chosen={slot.id === chosen}
                  marked={marked.includes(slot.id)}
                  onChoose={onChoose}
                  onMark={mark}
                />
              )
            );
          })}
        </div>
        {sorted.length === 0 && <p className="empty soft">No slot of that name</p>}
      </div>
    </section>
  );
}

interface RowProps {
  slot: Slot;
  index: number;
  top: number;
  chosen: boolean;
  marked: boolean;
  onChoose: (slot: Slot) => void;
  onMark: (id: string) => void;
}

/** Figures, and the state in words below them. */
function SlotRow({ slot, index, top, chosen, marked, onChoose, onMark }: RowProps) {
  return (
    <div
      className="slot-row"
      role="row"
      aria-rowindex={index + 2}
      data-chosen={chosen}
      data-slot={slot.name}
      style={{ top }}
    >
      <span role="cell">
        <Checkbox
          aria-label={`Mark ${slot.name}`}
          checked={marked}
          onChange={() => {
            onMark(slot.id);
          }}
        />
      </span>
      <span role="cell" className="slot-name">
        <button
          type="button"
          className="row-button"
          aria-current={chosen ? "true" : undefined}
          title={slot.name}
          onClick={() => {
            onChoose(slot);
          }}
        >
          <bdi>{slot.name}</bdi>
        </button>
        <span className="soft" title={slot.worst?.words}>
          {slot.worst?.words ?? (slot.places > 0 ? "fits" : "not on a page")}
        </span>
      </span>
      <span role="cell" className="slot-figures">
        <span>
          <span className="figure" title={`Used ${count(slot.places, "time")}`}>
            {slot.places.toLocaleString("en")}×
          </span>
          {slot.wasted > 0 && <Bytes of={slot.wasted} />}
        </span>
        {slot.margin && <MarginBar margin={slot.margin} today={slot.margin.weight} />}
      </span>
    </div>
  );
}
