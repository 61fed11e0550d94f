import { Button, Select } from "antd";
import { useState } from "react";
import type { Occurrence, Slot } from "../api/client";
import { usePictures } from "../library/usePictures";
import { pixels } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { usePlace } from "./useLayouts";

interface Props {
  slot: Slot;
  occurrence: Occurrence | undefined;
}

/** Puts a picture of the library into the slot: here, or wherever it occurs. */
export function PlacePicture({ slot, occurrence }: Props) {
  const [search, setSearch] = useState("");
  const [picture, setPicture] = useState<string>();
  const list = usePictures(search, "name");
  const place = usePlace();
  const options = (list.data?.pages.flatMap((page) => page.pictures) ?? []).map(({ id, name, width, height }) => ({
    value: id, label: `${name} · ${pixels(width, height)}`,
  }));
  const put = (only: string[] | undefined, chosen: string | null = picture ?? null) => {
    place.mutate({ slot: slot.id, picture: chosen, only });
  };
  const lacking = picture === undefined ? "Choose a picture first" : undefined;
  return (
    <div className="placing">
      <Select
        aria-label="Picture to place"
        showSearch={{ filterOption: false, onSearch: setSearch }}
        placeholder="A picture from the library"
        options={options}
        value={picture ?? null}
        onChange={(id) => { setPicture(id); }}
        style={{ width: "100%" }}
      />
      <div className="placing-actions">
        {occurrence && <Button disabled={lacking !== undefined} title={lacking} onClick={() => { put([occurrence.id]); }}>Place it here</Button>}
        <Button disabled={lacking !== undefined || slot.occurrences === 0} title={lacking ?? (slot.occurrences === 0 ? "The slot is on no measured page" : undefined)} onClick={() => { put(undefined); }}>
          In all {slot.occurrences}
        </Button>
        {occurrence?.picture_id && <Button onClick={() => { put([occurrence.id], null); }}>Take it out</Button>}
      </div>
      {lacking && <span className="soft">{lacking}.</span>}
      {place.error && <ProblemNote error={place.error} />}
    </div>
  );
}
