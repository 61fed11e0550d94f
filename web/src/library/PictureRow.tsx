import type { MouseEvent } from "react";
import { previewUrl, type Picture } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { formatName, pixels } from "../ui/figures";
import { MarginBar, MarginWords } from "../ui/MarginBar";

export function PictureHead() {
  return (
    <div className="grid-head" role="row">
      <span role="columnheader" aria-label="Selected" />
      <span role="columnheader" aria-label="Picture" />
      <span role="columnheader">Name</span>
      <span role="columnheader" className="right">Pixels</span>
      <span role="columnheader">Format</span>
      <span role="columnheader" className="right">Original</span>
      <span role="columnheader" className="newest">Newest file</span>
      <span role="columnheader">Under its budget</span>
      <span role="columnheader">Byte margin</span>
      <span role="columnheader" className="right saved">Saved</span>
    </div>
  );
}

interface Props {
  picture: Picture;
  index: number;
  top: number;
  current: boolean;
  selected: boolean;
  onClick: (event: MouseEvent) => void;
  onToggle: () => void;
  onOpen: () => void;
}

/** One picture. The keyboard is handled by the grid, which has the focus. */
export function PictureRow({ picture, index, top, current, selected, onClick, onToggle, onOpen }: Props) {
  const newest = picture.variants[0];
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
          onClick={(event) => { event.stopPropagation(); }}
          onChange={onToggle}
        />
      </span>
      <span role="gridcell"><img className="thumb" src={previewUrl(picture.id, "thumbnail")} alt="" loading="lazy" /></span>
      <span role="gridcell" className="name" title={picture.name}><bdi>{picture.name}</bdi></span>
      <span role="gridcell" className="figure right">{pixels(picture.width, picture.height)}</span>
      <span role="gridcell">{formatName[picture.format]}</span>
      <span role="gridcell" className="right"><Bytes of={picture.bytes} /></span>
      {newest ? (
        <>
          <span role="gridcell" className="newest name" title={newest.file_name}><bdi>{newest.file_name}</bdi></span>
          <span role="gridcell"><MarginBar margin={newest.margin} today={picture.bytes} /></span>
          <span role="gridcell"><MarginWords margin={newest.margin} /></span>
          <span role="gridcell" className="right saved"><Bytes of={newest.saving.saved} /></span>
        </>
      ) : (
        <span role="gridcell" className="soft">no file made yet</span>
      )}
    </div>
  );
}
