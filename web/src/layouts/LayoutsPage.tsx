import { Button } from "antd";
import { useState } from "react";
import type { Layouts } from "../api/client";
import { ProblemNote } from "../ui/ProblemNote";
import { useAddress } from "../ui/useAddress";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import { AddSlot } from "./AddSlot";
import { LayoutsTally } from "./LayoutsTally";
import { MeasureBar } from "./MeasureBar";
import { MeasuredNow } from "./MeasuredNow";
import { MeasuredSite } from "./MeasuredSite";
import { SlotLists } from "./SlotLists";
import { useLayouts } from "../api/useLayouts";
import "./layouts.css";

/** Layouts: what size it has to be, and how well what is there does. */
export function LayoutsPage() {
  const layouts = useLayouts();
  const [adding, setAdding] = useState(false);
  const [address, change] = useAddress();
  const add = () => {
    setAdding(true);
  };
  const page = pageOf(layouts.data, address.get("page"));
  const slot = layouts.data?.slots.find(({ id }) => id === address.get("slot"));
  useTitle(page?.name, "Layouts");
  return (
    <>
      <div className="work">
        <main>
          <MeasureBar />
          {layouts.error && <ProblemNote error={layouts.error} again={() => void layouts.refetch()} />}
          {layouts.data && (
            <MeasuredNow
              pages={layouts.data.pages}
              widths={layouts.data.widths}
              onGo={(id) => {
                change({ page: id, slot: undefined, place: undefined }, "back");
              }}
            />
          )}
          {layouts.isPending && <WaitingRows rows={10} />}
          {layouts.data &&
            (layouts.data.slots.length > 0 ? (
              <MeasuredSite
                layouts={layouts.data}
                page={page}
                slot={slot}
                placeId={address.get("place") ?? undefined}
                onGo={(to) => {
                  const isOther = to.page !== undefined && to.page !== page?.id;
                  change({ page: to.page ?? page?.id, slot: to.slot, place: to.place }, isOther ? "back" : "replace");
                }}
                onAdd={add}
              />
            ) : (
              <Nothing onAdd={add} />
            ))}
        </main>
      </div>
      <LayoutsTally page={page} slot={slot} />
      <AddSlot
        open={adding}
        onClose={() => {
          setAdding(false);
        }}
      />
    </>
  );
}

/** The page that is asked for, or else the one with most to gain. */
const pageOf = (layouts: Layouts | undefined, id: string | null) =>
  layouts?.pages.find((page) => page.id === id) ?? layouts?.pages.toSorted((a, b) => b.wasted - a.wasted)[0];

function Nothing({ onAdd }: { onAdd: () => void }) {
  return (
    <div className="empty">
      <h2>Nothing measured yet</h2>
      <span className="soft">
        Give the address of a page above. It is opened at each layout width, and every place that shows a picture
        becomes a slot with its true size.
      </span>
      <div className="bar">
        <Button onClick={onAdd}>Add slot</Button>
        <SlotLists />
      </div>
    </div>
  );
}
