import { Button } from "antd";
import { useState } from "react";
import type { Layouts } from "../api/client";
import { ProblemNote } from "../ui/ProblemNote";
import { AddSlot } from "./AddSlot";
import { LayoutsTally } from "./LayoutsTally";
import { MeasureBar } from "./MeasureBar";
import { MeasuredSite } from "./MeasuredSite";
import { SlotLists } from "./SlotLists";
import { useLayouts } from "./useLayouts";
import "./layouts.css";

/** Layouts: what size it has to be, and how well what is there does. */
export function LayoutsPage() {
  const layouts = useLayouts();
  const [adding, setAdding] = useState(false);
  const [pageId, setPageId] = useState<string>();
  const [slotId, setSlotId] = useState<string>();
  const add = () => {
    setAdding(true);
  };
  const page = pageOf(layouts.data, pageId);
  const slot = layouts.data?.slots.find(({ id }) => id === slotId);
  return (
    <>
      <div className="work">
        <main>
          <MeasureBar />
          {layouts.error && <ProblemNote error={layouts.error} again={() => void layouts.refetch()} />}
          {layouts.isPending && <p className="empty soft">Reading the layouts…</p>}
          {layouts.data &&
            (layouts.data.slots.length > 0 ? (
              <MeasuredSite
                layouts={layouts.data}
                page={page}
                slot={slot}
                onPage={setPageId}
                onSlot={setSlotId}
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

const pageOf = (layouts: Layouts | undefined, id: string | undefined) =>
  layouts?.pages.find((page) => page.id === id) ?? layouts?.pages[0];

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
