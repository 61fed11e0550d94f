import { Button, InputNumber, Select } from "antd";
import { useEffect, useRef, useState } from "react";
import type { Layouts, MeasuredPage, Place, Slot } from "../api/client";
import { count } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { useKey } from "../ui/useKey";
import { DoubtsSheet } from "./DoubtsSheet";
import { FixedPictures } from "./FixedPictures";
import { PageColumns } from "./PageColumns";
import { SizeSetSheet } from "./SizeSetSheet";
import { SlotFacts } from "./SlotFacts";
import { SlotLists } from "./SlotLists";
import { SlotTable } from "./SlotTable";
import { usePlaces, useReport } from "./useLayouts";
import { useWidth } from "../ui/useWidth";
import { useZoom } from "./useZoom";

interface Props {
  layouts: Layouts;
  page: MeasuredPage | undefined;
  slot: Slot | undefined;
  /** The place that is lit. */
  placeId: string | undefined;
  /** Goes to a page, a slot and a place of it; without a page it stays on the one that there is. */
  onGo: (to: { page?: string; slot?: string | undefined; place?: string | undefined }) => void;
  onAdd: () => void;
}

/** A page drawn at every layout width, and the site's slots beside it. */
export function MeasuredSite({ layouts, page, slot, placeId, onGo, onAdd }: Props) {
  const [marked, setMarked] = useState<string[]>([]);
  const [sheet, setSheet] = useState<"sizes" | "doubts">();
  const [attach, room] = useWidth();
  const zoom = useZoom(fitting(layouts.widths, room));
  const places = usePlaces(page && { page: page.id });
  const here = places.data ?? [];
  const place = here.find(({ id }) => id === placeId);
  const goTo = (page: string, slot?: string, place?: string) => {
    onGo({ page, slot, place });
  };
  useMeasuredPage(layouts.pages, goTo);

  const pick = (place: Place) => {
    goTo(place.page_id, place.slot_id, place.id);
  };
  const choose = (next: Slot) => {
    const place = here.find(({ slot_id }) => slot_id === next.id);
    if (place) pick(place);
    else if (next.first) goTo(next.first.page_id, next.id, next.first.place_id);
    else {
      onGo({ slot: next.id });
    }
  };
  const toMend = layouts.slots.filter(({ worst }) => worst?.to_mend).toSorted((a, b) => b.wasted - a.wasted);
  const next = toMend[(toMend.findIndex(({ id }) => id === slot?.id) + 1) % Math.max(1, toMend.length)];
  useKey((event) => {
    if (event.key === "n" && next) choose(next);
    else if (event.key === "+" || event.key === "=") zoom.closer();
    else if (event.key === "-") zoom.further();
  });
  // A list of 2,000 names would be longer than the screen; what is typed narrows it.
  const options = layouts.pages.map(({ id, name, to_mend }) => ({
    value: id,
    label: to_mend > 0 ? `${name} (${to_mend} to mend)` : name,
  }));

  return (
    <div className="layouts">
      <div className="layouts-page" ref={attach}>
        <div className="bar">
          {page && (
            <Select
              aria-label="Page"
              value={page.id}
              className="page-select"
              popupMatchSelectWidth={false}
              showSearch={{ optionFilterProp: "label" }}
              onChange={(id: string) => {
                goTo(id);
              }}
              options={options}
            />
          )}
          <span className="part">
            <Button aria-label="Further away" title="Further away ( − )" onClick={zoom.further}>
              −
            </Button>
            <InputNumber
              aria-label="Scale in percent"
              className="figure"
              style={{ width: 56 }}
              controls={false}
              value={Math.round(zoom.scale * 100)}
              onChange={(percent) => {
                if (percent) zoom.set(percent / 100);
              }}
            />
            %
            <Button aria-label="Closer" title="Closer ( + ), or turn the wheel with Ctrl" onClick={zoom.closer}>
              +
            </Button>
            {!zoom.isFitting && (
              <Button title="All layout widths in view" onClick={zoom.fit}>
                Fit
              </Button>
            )}
          </span>
          <span className="gap" />
          {page && <FixedPictures key={page.id} page={page.id} />}
          {layouts.doubts > 0 && (
            <Button
              onClick={() => {
                setSheet("doubts");
              }}
            >
              {count(layouts.doubts, "uncertain match", "uncertain matches")}
            </Button>
          )}
          {next && (
            <Button
              title="N"
              onClick={() => {
                choose(next);
              }}
            >
              Next issue
            </Button>
          )}
        </div>
        {places.error && <ProblemNote error={places.error} again={() => void places.refetch()} />}
        {page ? (
          <PageColumns
            page={page}
            widths={layouts.widths}
            places={here}
            scale={zoom.scale}
            lit={placeId}
            slot={slot?.id}
            onPick={pick}
            onScale={zoom.set}
          />
        ) : (
          <p className="empty soft">No page is measured; the slots were added by hand.</p>
        )}
      </div>
      <aside className="layouts-side">
        {slot && (
          <SlotFacts key={place?.id ?? slot.id} slot={slot} place={place} pages={layouts.pages} slots={layouts.slots} />
        )}
        <SlotTable slots={layouts.slots} chosen={slot?.id} onChoose={choose} marked={marked} onMark={setMarked} />
        <div className="bar">
          <Button
            onClick={() => {
              setSheet("sizes");
            }}
          >
            {marked.length > 0 ? `Size ${count(marked.length, "marked slot")}…` : "Size presets…"}
          </Button>
          <Button onClick={onAdd}>Add slot</Button>
          <SlotLists />
        </div>
      </aside>
      <SizeSetSheet
        open={sheet === "sizes"}
        onClose={() => {
          setSheet(undefined);
        }}
        slots={layouts.slots.filter(({ id }) => marked.includes(id))}
      />
      <DoubtsSheet
        open={sheet === "doubts"}
        onClose={() => {
          setSheet(undefined);
        }}
        pages={layouts.pages}
        onShow={pick}
      />
    </div>
  );
}

/** What stands between the columns and around them, in CSS px. */
const BETWEEN = 16;
const AROUND = 26;

/** The scale at which pages of all `widths` stand beside each other in a room that is `room` wide. */
export function fitting(widths: number[], room: number) {
  const all = widths.reduce((sum, width) => sum + width, 0);
  return all > 0 && room > 0 ? (room - AROUND - BETWEEN * (widths.length - 1)) / all : 0.15;
}

/** Goes to a page once it alone has been measured. */
function useMeasuredPage(pages: MeasuredPage[], goTo: (page: string) => void) {
  const report = useReport().data;
  const awaited = useRef<string>(undefined);
  useEffect(() => {
    if (report?.running) {
      awaited.current = report.known === 1 ? report.address : undefined;
      return;
    }
    const page = awaited.current === undefined ? undefined : pages.find(({ address }) => address === awaited.current);
    if (page) {
      awaited.current = undefined;
      goTo(page.id);
    }
  });
}
