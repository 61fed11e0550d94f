import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState, type KeyboardEvent } from "react";
import { previewUrl, type Picture, type PictureFields } from "../api/client";
import { altIssues } from "./issues";
import { useDescribe } from "./useLibrary";

const ROW = 44;

type Field = "name" | "title" | "alt" | "caption" | "creator" | "licence" | "source";
const FIELDS: { field: Field; head: string; wide?: boolean }[] = [
  { field: "name", head: "File name" },
  { field: "title", head: "Title" },
  { field: "alt", head: "Alt text" },
  { field: "caption", head: "Caption" },
  { field: "creator", head: "Creator" },
  { field: "licence", head: "Licence", wide: true },
  { field: "source", head: "Source", wide: true },
];

const valueOf = (picture: Picture, field: Field) => (field === "name" ? picture.name : picture.description[field]);

interface Props {
  pictures: Picture[];
  onEnd: () => void;
  onLeave: () => void;
}

/**
 * The table to write in: arrows move from cell to cell, typing or Enter opens one, Enter keeps it
 * and goes down, Tab keeps it and goes right, Escape leaves it as it was.
 */
export function DescribeGrid({ pictures: listed, onEnd, onLeave }: Props) {
  const pictures = useSteady(listed);
  const scroller = useRef<HTMLDivElement>(null);
  const [at, setAt] = useState({ row: 0, column: 2 });
  const [draft, setDraft] = useState<string>();
  // What was written for rows that the list does not show any more.
  const [written, setWritten] = useState<Record<string, PictureFields>>({});
  // What could not be saved, by picture and field, with the reason.
  const [unsaved, setUnsaved] = useState<Record<string, string>>({});
  const describe = useDescribe();
  const save = (id: string, field: Field, text: string) => {
    const cell = `${id} ${field}`;
    const fields: PictureFields = { [field]: text };
    setWritten((before) => ({ ...before, [id]: { ...before[id], ...fields } }));
    const settle = (reason: string | undefined) => {
      setUnsaved((before) => {
        const others = Object.fromEntries(Object.entries(before).filter(([name]) => name !== cell));
        return reason === undefined ? others : { ...others, [cell]: reason };
      });
    };
    describe.mutateAsync({ [id]: fields }).then(
      () => {
        settle(undefined);
      },
      (error: unknown) => {
        settle((error as Error).message);
      },
    );
  };
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
  useEffect(() => {
    scroller.current?.focus();
  }, []);

  const picture = pictures[at.row];
  const field = FIELDS[at.column]?.field ?? "alt";
  const go = (row: number, column: number) => {
    const next = {
      row: Math.max(0, Math.min(pictures.length - 1, row)),
      column: Math.max(0, Math.min(FIELDS.length - 1, column)),
    };
    setAt(next);
    rows.scrollToIndex(next.row);
  };
  const keep = () => {
    const isUnsaved = picture !== undefined && `${picture.id} ${field}` in unsaved;
    const before = picture && (written[picture.id]?.[field] ?? valueOf(picture, field));
    if (draft !== undefined && picture && (isUnsaved || draft !== before)) {
      save(picture.id, field, draft);
    }
    setDraft(undefined);
    scroller.current?.focus();
  };
  const onCellKey = (event: KeyboardEvent) => {
    if (event.key === "Escape") {
      setDraft(undefined);
      scroller.current?.focus();
    } else if (event.key === "Enter") {
      keep();
      go(at.row + (event.shiftKey ? -1 : 1), at.column);
    } else if (event.key === "Tab") {
      keep();
      go(at.row, at.column + (event.shiftKey ? -1 : 1));
    } else {
      event.stopPropagation();
      return;
    }
    event.preventDefault();
    event.stopPropagation();
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const moves: Record<string, [number, number]> = {
      ArrowDown: [1, 0],
      ArrowUp: [-1, 0],
      ArrowRight: [0, 1],
      ArrowLeft: [0, -1],
      PageDown: [12, 0],
      PageUp: [-12, 0],
    };
    const move = moves[event.key];
    const plain = !event.ctrlKey && !event.metaKey && !event.altKey;
    if (move) go(at.row + move[0], at.column + move[1]);
    else if ((event.key === "Enter" || event.key === "F2") && picture)
      setDraft(written[picture.id]?.[field] ?? valueOf(picture, field));
    else if (event.key === "Delete" && picture) save(picture.id, field, "");
    else if (event.key === "Escape") onLeave();
    else if (plain && event.key.length === 1 && event.target === scroller.current) setDraft(event.key);
    else return;
    event.preventDefault();
    // Letters are text here, and no shortcuts.
    event.stopPropagation();
    event.nativeEvent.stopImmediatePropagation();
  };

  return (
    <div
      ref={scroller}
      className="grid describe"
      role="grid"
      aria-label="Descriptions"
      aria-rowcount={pictures.length}
      aria-activedescendant={picture && `cell-${picture.id}-${field}`}
      tabIndex={0}
      onKeyDown={onKeyDown}
    >
      <div className="grid-head" role="row">
        <span role="columnheader" aria-label="Picture" />
        {FIELDS.map(({ field: name, head, wide }) => (
          <span key={name} role="columnheader" className={wide ? "wide" : ""}>
            {head}
          </span>
        ))}
      </div>
      <div className="grid-rows" role="rowgroup" style={{ height: rows.getTotalSize() }}>
        {rows.getVirtualItems().map(({ index, start }) => {
          const row = pictures[index];
          return (
            row && (
              <div
                key={row.id}
                className="grid-row"
                role="row"
                aria-rowindex={index + 1}
                data-name={row.name}
                style={{ top: start }}
              >
                <span role="gridcell">
                  <img className="thumb" src={previewUrl(row.id, "thumbnail", row.step)} alt="" loading="lazy" />
                </span>
                {FIELDS.map(({ field: name, head, wide }, column) => {
                  const here = index === at.row && column === at.column;
                  const own = written[row.id]?.[name];
                  const text = own ?? valueOf(row, name);
                  return (
                    // eslint-disable-next-line jsx-a11y/click-events-have-key-events -- the grid takes the keys
                    <span
                      key={name}
                      id={`cell-${row.id}-${name}`}
                      role="gridcell"
                      tabIndex={-1}
                      data-here={here}
                      className={`cell ${wide ? "wide" : ""}`}
                      onClick={() => {
                        if (!here) {
                          keep();
                          setAt({ row: index, column });
                        } else if (draft === undefined) setDraft(text);
                      }}
                    >
                      {here && draft !== undefined ? (
                        <CellField
                          label={`${head} of ${row.name}`}
                          value={draft}
                          onChange={setDraft}
                          onKeyDown={onCellKey}
                          onBlur={keep}
                        />
                      ) : (
                        <CellText
                          picture={row}
                          field={name}
                          text={text}
                          unsaved={unsaved[`${row.id} ${name}`]}
                          isNew={own !== undefined && own !== valueOf(row, name)}
                        />
                      )}
                    </span>
                  );
                })}
              </div>
            )
          );
        })}
      </div>
    </div>
  );
}

/**
 * The rows as they stood when writing began, each as it is now: one that does not meet the filter
 * any more, because it was described, stays where it is. Rows that are fetched later come after.
 */
function useSteady(listed: Picture[]) {
  const [kept, setKept] = useState(listed);
  const [from, setFrom] = useState(listed);
  if (from !== listed) {
    setFrom(listed);
    const now = new Map(listed.map((picture) => [picture.id, picture]));
    const known = new Set(kept.map(({ id }) => id));
    setKept([...kept.map((picture) => now.get(picture.id) ?? picture), ...listed.filter(({ id }) => !known.has(id))]);
  }
  return kept;
}

interface FieldProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  onKeyDown: (event: KeyboardEvent) => void;
  onBlur: () => void;
}

function CellField({ label, value, onChange, onKeyDown, onBlur }: FieldProps) {
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    field.current?.focus();
  }, []);
  return (
    <input
      ref={field}
      aria-label={label}
      value={value}
      onChange={({ target }) => {
        onChange(target.value);
      }}
      onKeyDown={onKeyDown}
      onBlur={onBlur}
    />
  );
}

interface TextProps {
  picture: Picture;
  field: Field;
  text: string;
  isNew: boolean;
  /** Why it could not be saved. */
  unsaved: string | undefined;
}

function CellText({ picture, field, text, isNew, unsaved }: TextProps) {
  if (unsaved !== undefined)
    return (
      <span className="name" title={`Not saved: ${unsaved} Enter opens it, and Enter tries again.`}>
        <b>not saved: </b>
        <bdi>{text}</bdi>
      </span>
    );
  // What is wrong with an older text says nothing of a new one.
  const issue = field === "alt" && !isNew ? altIssues(picture)[0] : undefined;
  if (field === "alt" && picture.description.decorative && !text) return <span className="soft">decorative</span>;
  if (!text) return <span className="soft">{issue ? issue.words : "–"}</span>;
  return (
    <span className="name" title={issue ? `${text} – ${issue.words}` : text}>
      {issue && <b>! </b>}
      <bdi>{text}</bdi>
    </span>
  );
}
