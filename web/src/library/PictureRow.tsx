import type { MouseEvent } from "react";
import { previewUrl, type IssueKind, type Picture } from "../api/client";
import { COLUMNS } from "./columns";
import type { Order } from "../api/usePictures";

/** The heads of the columns, each of which sorts. */
export function PictureHead({ order, onOrder }: { order: Order; onOrder: (order: Order) => void }) {
  return (
    <div className="grid-head" role="row">
      <span role="columnheader" aria-label="Selected" />
      <span role="columnheader" aria-label="Picture" />
      {COLUMNS.map(({ key, head, sort, most = false, right, wide }) => {
        const sorted = sort === order.sort;
        const spoken = sorted ? (order.descending ? "descending" : "ascending") : "none";
        return (
          <span
            key={key}
            role="columnheader"
            aria-sort={spoken}
            className={`${right ? "right" : ""} ${wide ? `wide ${wide}` : ""}`}
          >
            <button
              type="button"
              className="head-button"
              onClick={() => {
                if (sort) onOrder({ sort, descending: sorted ? !order.descending : most });
              }}
            >
              {head}
              {sorted && (order.descending ? " ↓" : " ↑")}
            </button>
          </span>
        );
      })}
    </div>
  );
}

interface Props {
  picture: Picture;
  /** Issues that every row in view has: they tell nothing of this one. */
  common: ReadonlySet<IssueKind>;
  index: number;
  top: number;
  current: boolean;
  selected: boolean;
  onClick: (event: MouseEvent) => void;
  onToggle: () => void;
  onOpen: () => void;
}

/** One picture. The keyboard is handled by the grid, which has the focus. */
export function PictureRow({ picture, common, index, top, current, selected, onClick, onToggle, onOpen }: Props) {
  return (
    // eslint-disable-next-line jsx-a11y/click-events-have-key-events -- the grid takes the keys
    <div
      id={`picture-${picture.id}`}
      className="grid-row"
      role="row"
      tabIndex={-1}
      aria-rowindex={index + 1}
      aria-selected={selected}
      data-current={current}
      data-name={picture.name}
      style={{ top }}
      onClick={onClick}
      onDoubleClick={onOpen}
    >
      <span role="gridcell">
        <input
          type="checkbox"
          tabIndex={-1}
          aria-label={`Select ${picture.name}`}
          checked={selected}
          onClick={(event) => {
            event.stopPropagation();
          }}
          onChange={onToggle}
        />
      </span>
      <span role="gridcell">
        <img className="thumb" src={previewUrl(picture.id, "thumbnail", picture.step)} alt="" loading="lazy" />
      </span>
      {COLUMNS.map(({ key, right, wide, cell }) => (
        <span key={key} role="gridcell" className={`cell ${right ? "right" : ""} ${wide ? `wide ${wide}` : ""}`}>
          {cell(picture, common)}
        </span>
      ))}
    </div>
  );
}
