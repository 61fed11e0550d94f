import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Button, Checkbox, Input } from "antd";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ApiError, unwrap, type BenchBody, type Picture } from "../api/client";
import { count } from "../ui/figures";
import { notices } from "../ui/notice";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import { Whole } from "./HistorySheet";
import { useSave } from "./useSave";
import type { WorkOnBench } from "./useWork";

interface Props {
  picture: Picture;
  on: WorkOnBench;
  open: boolean;
  onClose: () => void;
  onBeside: () => void;
}

function Places({ places }: { places: BenchBody["places"] }) {
  return (
    <ul className="places">
      {places.map((place) => (
        <li key={place.id}>
          {place.page_name} <span className="soft">{place.slot_name}</span>
        </li>
      ))}
    </ul>
  );
}

/** Has the adjustments hold wherever the picture is shown, after telling where that is. */
export function SaveSheet({ picture, on, open, onClose, onBeside }: Props) {
  const places = on.bench.places;
  const save = useSave(picture, on);
  const conflict = (save.error instanceof ApiError && save.error.status === 409) || on.isSavedElsewhere;
  return (
    <SideSheet title="Save" open={open} onClose={onClose}>
      <div className="add-slot">
        {places.length > 0 ? (
          <>
            <span>The picture changes in {count(places.length, "place")}:</span>
            <Places places={places} />
          </>
        ) : (
          <span className="soft">No place shows it yet.</span>
        )}
        <span className="soft">
          The original stays as it is. Files made before stay too; new ones are made from this.
        </span>
        {conflict ? (
          <Conflict
            picture={picture}
            on={on}
            onOver={(over) => {
              save.mutate(over, { onSuccess: onClose });
            }}
            onBeside={onBeside}
          />
        ) : (
          <Button
            type="primary"
            loading={save.isPending}
            onClick={() => {
              save.mutate(undefined, { onSuccess: onClose });
            }}
          >
            Save to all its slots
          </Button>
        )}
        {save.error && !conflict && <ProblemNote error={save.error} />}
      </div>
    </SideSheet>
  );
}

/** Somebody else saved the picture: both are shown, and nothing is overwritten unasked. */
function Conflict({
  picture,
  on,
  onOver,
  onBeside,
}: {
  picture: Picture;
  on: WorkOnBench;
  onOver: (over: string) => void;
  onBeside: () => void;
}) {
  const fresh = useQuery({
    queryKey: ["bench", picture.id, "conflict"],
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/pictures/{id}/bench", { params: { path: { id: picture.id } }, signal })),
  });
  const theirs = fresh.data?.steps.find((step) => step.id === fresh.data.holds);
  const adjustments = useQuery({
    queryKey: ["step", theirs?.id],
    enabled: theirs !== undefined,
    queryFn: async ({ signal }) =>
      unwrap(await api.GET("/steps/{id}", { params: { path: { id: theirs?.id ?? "" } }, signal })),
  });
  return (
    <div className="conflict" role="alert">
      <b>Somebody else saved this picture in the meantime.</b>
      <span>Nothing was overwritten. Compare both, then choose.</span>
      <div className="compare">
        <figure>
          {adjustments.data && <Whole picture={picture} adjustments={adjustments.data} width={170} />}
          <figcaption>Theirs: {theirs?.summary ?? "…"}</figcaption>
        </figure>
        <figure>
          <Whole picture={picture} adjustments={on.adjustments} width={170} />
          <figcaption>Yours</figcaption>
        </figure>
      </div>
      <div className="row">
        <Button onClick={onBeside}>Save yours as a new picture</Button>
        <Button
          disabled={!theirs}
          title={theirs ? "Their version stays in the history" : "Fetching theirs"}
          onClick={() => {
            if (theirs) onOver(theirs.id);
          }}
        >
          Save yours over it
        </Button>
      </div>
    </div>
  );
}

/** Makes a new picture beside this one, and puts it into places of this one. */
export function BesideSheet({ picture, on, open, onClose }: Omit<Props, "onBeside">) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const stem = picture.name.replace(/\.[^.]+$/, "");
  const [name, setName] = useState(`${stem} edited`);
  const [chosen, setChosen] = useState<string[]>([]);
  const places = on.bench.places;
  const save = useMutation({
    mutationFn: async () => {
      await on.flush();
      const body = { adjustments: on.adjustments, name, places: chosen };
      return unwrap(await api.POST("/pictures/{id}/beside", { params: { path: { id: picture.id } }, body }));
    },
    onSuccess: async ({ picture: made, change }) => {
      notices.show({
        words: `Made ${made.name}${chosen.length > 0 ? `; ${count(chosen.length, "place")} show it now` : ""}.`,
        ...(change && { change: change.id }),
      });
      await queries.invalidateQueries();
      onClose();
      void navigate(`/bench/${made.id}`);
    },
  });
  return (
    <SideSheet title="Save as a new picture" open={open} onClose={onClose}>
      <form
        className="add-slot"
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim()) save.mutate();
        }}
      >
        <label htmlFor="beside-name">Name</label>
        <Input
          id="beside-name"
          value={name}
          onChange={({ target }) => {
            setName(target.value);
          }}
        />
        <span className="soft">
          It shares the original of {picture.name}, so nothing is stored twice, and has these edits.
        </span>
        {places.length > 0 && (
          <>
            <span>Show it instead of {picture.name} in:</span>
            <Checkbox.Group
              className="place-boxes"
              value={chosen}
              onChange={setChosen}
              options={places.map((place) => ({ value: place.id, label: `${place.page_name}, ${place.slot_name}` }))}
            />
            {places.length > 1 && (
              <Button
                size="small"
                onClick={() => {
                  setChosen(chosen.length === places.length ? [] : places.map(({ id }) => id));
                }}
              >
                {chosen.length === places.length ? "None of them" : "All of them"}
              </Button>
            )}
          </>
        )}
        <Button
          type="primary"
          htmlType="submit"
          loading={save.isPending}
          disabled={!name.trim()}
          title={name.trim() ? undefined : "Type a name"}
        >
          Make the new picture
        </Button>
        {save.error && <ProblemNote error={save.error} />}
      </form>
    </SideSheet>
  );
}
