import { Button, Checkbox, Select } from "antd";
import { useState } from "react";
import type { MeasuredPage, Place, Slot } from "../api/client";
import { usePictures } from "../api/usePictures";
import { pixels } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { usePlaces, usePlace } from "./useLayouts";

const BY_NAME = { sort: "name", descending: false } as const;

interface Props {
  slot: Slot;
  place: Place | undefined;
  pages: MeasuredPage[];
}

/** Puts a picture of the library into the slot: here, on chosen pages, or wherever it occurs. */
export function PlacePicture({ slot, place, pages }: Props) {
  const [search, setSearch] = useState("");
  const [picture, setPicture] = useState<string>();
  const [choosing, setChoosing] = useState(false);
  const list = usePictures(search ? { search } : {}, BY_NAME);
  const placing = usePlace();
  const options = (list.data?.pages.flatMap((page) => page.pictures) ?? []).map(({ id, name, width, height }) => ({
    value: id,
    label: `${name} · ${pixels(width, height)}`,
  }));
  const put = (only: string[] | undefined, chosen: string | null = picture ?? null) => {
    placing.mutate({ slot: slot.id, picture: chosen, only });
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
        onChange={(id) => {
          setPicture(id);
        }}
        style={{ width: "100%" }}
      />
      <div className="placing-actions">
        {place && (
          <Button
            disabled={lacking !== undefined}
            title={lacking}
            onClick={() => {
              put([place.id]);
            }}
          >
            Place it here
          </Button>
        )}
        <Button
          disabled={lacking !== undefined || slot.places === 0}
          title={lacking ?? (slot.places === 0 ? "The slot is on no measured page" : undefined)}
          onClick={() => {
            put(undefined);
          }}
        >
          In all {slot.places}
        </Button>
        {slot.places > 1 && (
          <Button
            aria-expanded={choosing}
            onClick={() => {
              setChoosing(!choosing);
            }}
          >
            On pages…
          </Button>
        )}
        {place?.picture_id && (
          <Button
            onClick={() => {
              put([place.id], null);
            }}
          >
            Remove from slot
          </Button>
        )}
      </div>
      {choosing && <ChosenPages slot={slot} pages={pages} lacking={lacking} onPlace={put} />}
      {lacking && <span className="soft">{lacking}.</span>}
      {placing.error && <ProblemNote error={placing.error} />}
    </div>
  );
}

interface ChosenPagesProps {
  slot: Slot;
  pages: MeasuredPage[];
  lacking: string | undefined;
  onPlace: (places: string[]) => void;
}

/** The pages that have the slot, to place a picture on some of them. */
function ChosenPages({ slot, pages, lacking, onPlace }: ChosenPagesProps) {
  const places = usePlaces({ slot: slot.id }).data ?? [];
  const [chosen, setChosen] = useState<string[]>([]);
  const on = pages.filter(({ id }) => places.some(({ page_id }) => page_id === id));
  const reason = lacking ?? (chosen.length === 0 ? "Choose pages first" : undefined);
  return (
    <fieldset className="chosen-pages">
      <legend className="soft">Pages that have it</legend>
      <Checkbox.Group
        options={on.map(({ id, name }) => ({ value: id, label: name }))}
        value={chosen}
        onChange={setChosen}
      />
      <Button
        disabled={reason !== undefined}
        title={reason}
        onClick={() => {
          onPlace(places.filter(({ page_id }) => chosen.includes(page_id)).map(({ id }) => id));
        }}
      >
        Place it on {chosen.length}
      </Button>
    </fieldset>
  );
}
