import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, useState, type KeyboardEvent, type MouseEvent } from "react";
import type { Picture } from "../api/client";
import { PictureHead, PictureRow } from "./PictureRow";
import type { Order } from "./useLibrary";
import { selectByClick, selectByKey, type Selection } from "./useSelection";

const ROW = 44;

interface Props {
  pictures: Picture[];
  /** How many there are, those that were not fetched yet among them. */
  total: number;
  selection: Selection;
  order: Order;
  onOrder: (order: Order) => void;
  onOpen: (id: string) => void;
  /** Called when the last rows come into view. */
  onEnd: () => void;
  /** Gives a row another place, where the order is one of its own. */
  onMove?: (from: number, to: number) => void;
}

/** The dense table: only the rows in view exist, and the keyboard moves through all of them. */
export function PictureGrid({ pictures, total, selection, order, onOrder, onOpen, onEnd, onMove }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const [current, setCurrent] = useState(0);
  const rows = useVirtualizer({
    count: pictures.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
    scrollPaddingStart: 28,
    onChange: ({ range }) => {
      if (range && range.endIndex > pictures.length - 60) onEnd();
    },
  });

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
