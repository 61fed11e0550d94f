import { Checkbox, Input, Segmented } from "antd";
import { useState } from "react";
import type { Slot } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { MarginBar } from "../ui/MarginBar";

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

/** Every slot of the site, the most to gain first. */
export function SlotTable({ slots, chosen, onChoose, marked, onMark }: Props) {
  const [order, setOrder] = useState<Order>("waste");
  const [search, setSearch] = useState("");
  const named = search.trim().toLowerCase();
  const sorted = slots
    .filter(({ name, kind }) => `${name} ${kind}`.toLowerCase().includes(named))
    .toSorted(compare[order]);
  const all = sorted.length > 0 && sorted.every(({ id }) => marked.includes(id));
  const mark = (id: string) => {
    onMark(marked.includes(id) ? marked.filter((other) => other !== id) : [...marked, id]);
  };
  return (
    <section className="slots" aria-label="Slots">
      <div className="bar">
        <h2>{slots.length} slots</h2>
        <Input
          aria-label="Search slots"
          placeholder="Search slots"
          allowClear
          value={search}
          style={{ width: 120 }}
          onChange={({ target }) => {
            setSearch(target.value);
          }}
        />
        <Segmented aria-label="Order of the slots" options={ORDERS} value={order} onChange={setOrder} />
      </div>
      <div className="slot-rows">
        <table>
          <thead>
            <tr>
              <th scope="col">
                <Checkbox
                  aria-label="Mark all slots shown"
                  checked={all}
                  indeterminate={!all && marked.length > 0}
                  onChange={() => {
                    onMark(all ? [] : sorted.map(({ id }) => id));
                  }}
                />
              </th>
              <th scope="col">Slot</th>
              <th scope="col" className="right">
                Used
              </th>
              <th scope="col" className="right">
                Wasted
              </th>
              <th scope="col">Weight against budget</th>
            </tr>
          </thead>
          <tbody>
            {sorted.map((slot) => (
              <SlotRows
                key={slot.id}
                slot={slot}
                chosen={slot.id === chosen}
                marked={marked.includes(slot.id)}
                onChoose={onChoose}
                onMark={mark}
              />
            ))}
            {sorted.length === 0 && (
              <tr>
                <td colSpan={5} className="soft">
                  No slot of that name
                </td>
              </tr>
            )}
          </tbody>
        </table>
      </div>
    </section>
  );
}

/** Figures in one row, the state in words below them. */
function SlotRows({
  slot,
  chosen,
  marked,
  onChoose,
  onMark,
}: {
  slot: Slot;
  chosen: boolean;
  marked: boolean;
  onChoose: (slot: Slot) => void;
  onMark: (id: string) => void;
}) {
  return (
    <>
      <tr aria-selected={chosen} data-slot={slot.name}>
        <td>
          <Checkbox
            aria-label={`Mark ${slot.name}`}
            checked={marked}
            onChange={() => {
              onMark(slot.id);
            }}
          />
        </td>
        <td>
          <button
            type="button"
            className="row-button"
            onClick={() => {
              onChoose(slot);
            }}
          >
            {slot.name}
          </button>
        </td>
        <td className="right figure">{slot.places}</td>
        <td className="right">
          <Bytes of={slot.wasted} />
        </td>
        <td>{slot.margin && <MarginBar margin={slot.margin} today={slot.margin.weight} />}</td>
      </tr>
      <tr aria-selected={chosen} className="slot-state">
        <td />
        <td colSpan={4} className="soft">
          {slot.worst?.words ?? (slot.places > 0 ? "fits" : "not on a page")}
        </td>
      </tr>
    </>
  );
}
