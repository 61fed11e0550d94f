import { Button, Select } from "antd";
import type { Place, Slot } from "../api/client";
import { ProblemNote } from "../ui/ProblemNote";
import { useJoin, useSplit } from "./useLayouts";

interface Props {
  slot: Slot;
  slots: Slot[];
  place: Place | undefined;
}

/** Says by hand which places are one slot: joins two, or splits one off. Each undoes the other. */
export function SameSlot({ slot, slots, place }: Props) {
  const join = useJoin();
  const split = useSplit();
  const others = slots.filter(({ id }) => id !== slot.id).map(({ id, name }) => ({ value: id, label: name }));
  const error = join.error ?? split.error;
  return (
    <>
      <div className="placing-actions">
        <Select
          aria-label="Join with another slot"
          placeholder="Merge with…"
          options={others}
          value={null}
          style={{ minWidth: 160 }}
          onChange={(into: string) => {
            join.mutate({ slot: slot.id, into });
          }}
        />
        {place && (
          <Button
            disabled={slot.places < 2}
            title={slot.places < 2 ? "It has a slot of its own already" : undefined}
            onClick={() => {
              split.mutate(place.id);
            }}
          >
            Split from slot
          </Button>
        )}
      </div>
      {error && <ProblemNote error={error} />}
    </>
  );
}
