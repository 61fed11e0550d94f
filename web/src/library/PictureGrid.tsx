import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, type KeyboardEvent, type MouseEvent } from "react";
import type { Picture } from "../api/client";
import { commonIssues } from "./issues";
import { leaveScrolled, scrollOf } from "./listMemory";
import { PictureHead, PictureRow } from "./PictureRow";
import { useCurrentRow } from "./useCurrentRow";
import type { Order } from "../api/usePictures";
import { selectByClick, selectByKey, type Selection } from "./useSelection";

const ROW = 44;

interface Props {
  pictures: Picture[];
  /** How many there are, those that were not fetched yet among them. */
  total: number;
  selection: Selection;
  order: Order;
  onOrder: (order: Order) => void;
  /** The picture that is the current one, and what tells that it is another. */
  at: string | undefined;
  onAt: (id: string | undefined) => void;
  /** Which list this is: coming back to it finds it as it was left. */
  list: string;
  onOpen: (id: string) => void;
  /** Called when the last rows come into view. */
  onEnd: () => void;
  /** Gives a row another place, where the order is one of its own. */
  onMove?: (from: number, to: number) => void;
}

/** The dense table: only the rows in view exist, and the keyboard moves through all of them. */
export function PictureGrid({
  pictures,
  total,
  selection,
  order,
  onOrder,
  at,
  onAt,
  list,
  onOpen,
  onEnd,
  onMove,
}: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const [current, setCurrent] = useCurrentRow(pictures, at, onAt);
  const common = commonIssues(pictures);
  const rows = useVirtualizer({
    count: pictures.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
    scrollPaddingStart: 28,
    initialOffset: () => scrollOf(list),
    onChange: ({ range }) => {
      if (range && range.endIndex > pictures.length - 60) onEnd();
    },
  });

  // The place in the list: as it was left, or where the address says.
  const { scrollToIndex } = rows;
  useEffect(() => {
    if (scrollOf(list) === 0 && current > 0) scrollToIndex(current, { align: "center" });
    const element = scroller.current;
    return () => {
      if (element) leaveScrolled(list, element.scrollTop);
    };
    // Only when the list begins: later, the keyboard moves it.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [list]);

  const go = (index: number) => {
    const next = Math.max(0, Math.min(pictures.length - 1, index));
    setCurrent(next);
    rows.scrollToIndex(next);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const id = pictures[current]?.id;
    const page = Math.floor((scroller.current?.clientHeight ?? ROW) / ROW) - 1;
    const moves: Record<string, number> = {
      ArrowDown: current + 1,
      ArrowUp: current - 1,
      PageDown: current + page,
      PageUp: current - page,
      Home: 0,
      End: pictures.length - 1,
    };
    const move = moves[event.key];
    if (move !== undefined && event.altKey && onMove) onMove(current, Math.max(0, Math.min(pictures.length - 1, move)));
    if (move !== undefined) go(move);
    else if (!selectByKey(selection, event, id, onOpen)) return;
    event.preventDefault();
  };
  const onClick = (event: MouseEvent, index: number, id: string) => {
    setCurrent(index);
    selectByClick(selection, event, id);
  };

  return (
    <div
      ref={scroller}
      className="grid"
      role="grid"
      aria-label="Pictures"
      aria-busy={!selection.isReady}
      aria-rowcount={total}
      aria-multiselectable="true"
      aria-activedescendant={pictures[current] && `picture-${pictures[current].id}`}
      tabIndex={0}
      onKeyDown={onKeyDown}
    >
      <PictureHead order={order} onOrder={onOrder} />
      <div className="grid-rows" role="rowgroup" style={{ height: rows.getTotalSize() }}>
        {rows.getVirtualItems().map(({ index, start }) => {
          const picture = pictures[index];
          return (
            picture && (
              <PictureRow
                key={picture.id}
                picture={picture}
                common={common}
                index={index}
                top={start}
                current={index === current}
                selected={selection.has(picture.id)}
                onClick={(event) => {
                  onClick(event, index, picture.id);
                }}
                onToggle={() => {
                  setCurrent(index);
                  selection.toggle(picture.id);
                }}
                onOpen={() => {
                  onOpen(picture.id);
                }}
              />
            )
          );
        })}
      </div>
    </div>
  );
}
