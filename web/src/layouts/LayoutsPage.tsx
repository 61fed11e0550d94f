import { Button, Segmented, Select } from "antd";
import { useState } from "react";
import type { Layouts, Occurrence, Slot } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { count } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { Tally } from "../ui/Tally";
import { useKey } from "../ui/useKey";
import { AddSlot } from "./AddSlot";
import { MeasureBar } from "./MeasureBar";
import { PageColumns } from "./PageColumns";
import { SlotFacts } from "./SlotFacts";
import { SlotTable } from "./SlotTable";
import { useLayouts } from "./useLayouts";
import "./layouts.css";

const SCALES = [
  { label: "15 %", value: 0.15 },
  { label: "25 %", value: 0.25 },
  { label: "50 %", value: 0.5 },
  { label: "100 %", value: 1 },
];

/** Layouts: what size it has to be, and how well what is there does. */
export function LayoutsPage() {
  const layouts = useLayouts();
  const [adding, setAdding] = useState(false);
  return (
    <>
      <div className="work">
        <main>
          <MeasureBar />
          {layouts.error && <ProblemNote error={layouts.error} again={() => void layouts.refetch()} />}
          {layouts.isPending && <p className="empty soft">Reading the layouts…</p>}
          {layouts.data && (layouts.data.slots.length > 0
            ? <Measured layouts={layouts.data} onAdd={() => { setAdding(true); }} />
            : <Nothing onAdd={() => { setAdding(true); }} />)}
        </main>
      </div>
      <Tally ids={undefined} where="in the library" />
      <AddSlot open={adding} onClose={() => { setAdding(false); }} />
    </>
  );
}

function Nothing({ onAdd }: { onAdd: () => void }) {
  return (
    <div className="empty">
      <h2>Nothing measured yet</h2>
      <span className="soft">Give the address of a page above. It is opened at each layout width, and every place that shows a picture becomes a slot with its true size.</span>
      <Button onClick={onAdd}>Type a slot by hand</Button>
    </div>
  );
}

function Measured({ layouts, onAdd }: { layouts: Layouts; onAdd: () => void }) {
  const [pageId, setPageId] = useState<string>();
  const [slotId, setSlotId] = useState<string>();
  const [placeId, setPlaceId] = useState<string>();
  const [scale, setScale] = useState(0.15);
  const page = layouts.pages.find(({ id }) => id === pageId) ?? layouts.pages[0];
  const places = layouts.occurrences.filter((place) => place.page_id === page?.id);
  const slot = layouts.slots.find(({ id }) => id === slotId);
  const place = layouts.occurrences.find(({ id }) => id === placeId);

  const pick = (occurrence: Occurrence) => {
    setPlaceId(occurrence.id);
    setSlotId(occurrence.slot_id);
    setPageId(occurrence.page_id);
  };
  const choose = (next: Slot) => {
    const here = layouts.occurrences.filter(({ slot_id }) => slot_id === next.id);
    const occurrence = here.find(({ page_id }) => page_id === page?.id) ?? here[0];
    if (occurrence) pick(occurrence);
    else {
      setSlotId(next.id);
      setPlaceId(undefined);
    }
  };
  const toMend = layouts.slots.filter(({ worst }) => (worst?.severity ?? 0) > 1).toSorted((a, b) => b.wasted - a.wasted);
  const next = toMend[(toMend.findIndex(({ id }) => id === slotId) + 1) % Math.max(1, toMend.length)];
  useKey((event) => { if (event.key === "n" && next) choose(next); });

  return (
    <div className="layouts">
      <div className="layouts-page">
        <div className="bar">
          {page && (
            <Select
              aria-label="Page"
              value={page.id}
              style={{ minWidth: 240 }}
              popupMatchSelectWidth={false}
              onChange={(id) => { setPageId(id); setPlaceId(undefined); setSlotId(undefined); }}
              options={layouts.pages.map(({ id, title, to_mend }) => ({ value: id, label: to_mend > 0 ? `${title} (${to_mend} to mend)` : title }))}
            />
          )}
          <Segmented aria-label="Scale" options={SCALES} value={scale} onChange={setScale} />
          {page && <span className="soft">{count(page.places, "slot")}, {page.to_mend} to mend, <Bytes of={page.wasted} /> wasted</span>}
          <span className="gap" />
          {next && <Button onClick={() => { choose(next); }}>Next to mend</Button>}
        </div>
        {page
          ? <PageColumns page={page} widths={layouts.widths} occurrences={places} scale={scale} lit={placeId} slot={slotId} onPick={pick} />
          : <p className="empty soft">No page is measured; the slots were typed by hand.</p>}
      </div>
      <aside className="layouts-side">
        {slot && <SlotFacts key={place?.id ?? slot.id} slot={slot} occurrence={place} pages={layouts.pages} slots={layouts.slots} />}
        <SlotTable slots={layouts.slots} chosen={slotId} onChoose={choose} />
        <div className="bar">
          <Button onClick={onAdd}>Type a slot by hand</Button>
          <span className="soft">List:</span>
          <a href="/api/slots.csv" download="slots.csv">CSV</a>
          <a href="/api/slots.json" download="slots.json">JSON</a>
        </div>
      </aside>
    </div>
  );
}
