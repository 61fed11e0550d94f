import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState, type KeyboardEvent, type MouseEvent } from "react";
import { previewUrl, type Picture } from "../api/client";
import { bytes, formatName } from "../ui/figures";
import { leaveScrolled, scrollOf } from "./listMemory";
import { useCurrentRow } from "./useCurrentRow";
import { selectByClick, selectByKey, type Selection } from "./useSelection";

interface Props {
  pictures: Picture[];
  selection: Selection;
  /** The side of a picture's place, in CSS px. */
  side: number;
  at: string | undefined;
  onAt: (id: string | undefined) => void;
  list: string;
  onOpen: (id: string) => void;
  onEnd: () => void;
}

/** The pictures themselves, in rows, as large as is wanted. */
export function ContactSheet({ pictures, selection, side, at, onAt, list, onOpen, onEnd }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(0);
  const [current, setCurrent] = useCurrentRow(pictures, at, onAt);
  useEffect(() => {
    const element = scroller.current;
    if (!element) return;
    const observer = new ResizeObserver(() => {
      setWidth(element.clientWidth);
    });
    observer.observe(element);
    return () => {
      observer.disconnect();
    };
  }, []);
  const across = Math.max(1, Math.floor((width - 12) / (side + 12)));
  const lines = useVirtualizer({
    count: Math.ceil(pictures.length / across),
    getScrollElement: () => scroller.current,
    estimateSize: () => side + 46,
    overscan: 3,
    initialOffset: () => scrollOf(list),
    onChange: ({ range }) => {
      if (range && (range.endIndex + 4) * across > pictures.length) onEnd();
    },
  });
  useEffect(() => {
    const element = scroller.current;
    return () => {
      if (element) leaveScrolled(list, element.scrollTop);
    };
  }, [list]);
  const { measure } = lines;
  useEffect(() => {
    measure();
  }, [side, measure]);

  const go = (index: number) => {
    const next = Math.max(0, Math.min(pictures.length - 1, index));
    setCurrent(next);
    lines.scrollToIndex(Math.floor(next / across));
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const id = pictures[current]?.id;
    const moves: Record<string, number> = {
      ArrowRight: current + 1,
      ArrowLeft: current - 1,
      ArrowDown: current + across,
      ArrowUp: current - across,
      Home: 0,
      End: pictures.length - 1,
    };
    const move = moves[event.key];
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
      className="grid contact"
      role="listbox"
      aria-label="Pictures"
      aria-busy={!selection.isReady}
      aria-multiselectable="true"
      aria-activedescendant={pictures[current] && `picture-${pictures[current].id}`}
      tabIndex={0}
      onKeyDown={onKeyDown}
    >
      <div className="grid-rows" style={{ height: lines.getTotalSize() }}>
        {lines.getVirtualItems().map(({ index: line, start }) => (
          <div key={line} className="contact-line" style={{ top: start }}>
            {pictures.slice(line * across, (line + 1) * across).map((picture, place) => {
              const index = line * across + place;
              return (
                // eslint-disable-next-line jsx-a11y/click-events-have-key-events -- the sheet takes the keys
                <div
                  key={picture.id}
                  id={`picture-${picture.id}`}
                  role="option"
                  tabIndex={-1}
                  aria-selected={selection.has(picture.id)}
                  data-current={index === current}
                  data-name={picture.name}
                  className="contact-picture"
                  style={{ width: side }}
                  onClick={(event) => {
                    onClick(event, index, picture.id);
                  }}
                  onDoubleClick={() => {
                    onOpen(picture.id);
                  }}
                >
                  <img
                    src={previewUrl(picture.id, side > 200 ? "bench" : "thumbnail", picture.step)}
                    alt=""
                    loading="lazy"
                    style={{ width: side, height: side }}
                  />
                  <span className="name" title={picture.name}>
                    <bdi>{picture.name}</bdi>
                  </span>
                  <span className="figure soft">
                    {formatName[picture.format]} {bytes(picture.bytes)}
                  </span>
                </div>
              );
            })}
          </div>
        ))}
      </div>
    </div>
  );
}
