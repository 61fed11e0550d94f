import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Button, Input } from "antd";
import { useMemo, useState } from "react";
import { accept, api, unwrap, type Picture, type Adjustments, type Step } from "../api/client";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import { Painted } from "./Painted";
import { useViews } from "./useViews";
import type { WorkOnBench } from "./useWork";
import { useQuery } from "@tanstack/react-query";

interface Props {
  picture: Picture;
  on: WorkOnBench;
  open: boolean;
  onClose: () => void;
}

/** Every step of the adjustments, to go back to, to name, and to compare with another. */
export function HistorySheet({ picture, on, open, onClose }: Props) {
  const [compared, setCompared] = useState<string[]>([]);
  const steps = [...on.bench.steps].reverse();
  const toggle = (id: string) => {
    setCompared((now) => (now.includes(id) ? now.filter((one) => one !== id) : [...now.slice(-1), id]));
  };
  return (
    <SideSheet title="History" open={open} onClose={onClose} width={440}>
      {steps.length === 0 && (
        <p className="soft">No changes yet. Each change becomes a step here and stays, even after days.</p>
      )}
      {compared.length === 1 && <p className="soft">Choose a second one to compare it with.</p>}
      {compared.length === 2 && (
        <Compare
          picture={picture}
          steps={compared
            .map((id) => on.bench.steps.find((step) => step.id === id))
            .filter((step) => step !== undefined)}
        />
      )}
      <ol className="history">
        {steps.map((step) => (
          <StepRow
            key={step.id}
            step={step}
            picture={picture}
            on={on}
            compared={compared.includes(step.id)}
            onCompare={() => {
              toggle(step.id);
            }}
          />
        ))}
      </ol>
    </SideSheet>
  );
}

function StepRow({
  step,
  picture,
  on,
  compared,
  onCompare,
}: {
  step: Step;
  picture: Picture;
  on: WorkOnBench;
  compared: boolean;
  onCompare: () => void;
}) {
  const queries = useQueryClient();
  const [name, setName] = useState<string>();
  const rename = useMutation({
    mutationFn: async (next: string) => {
      accept(await api.PATCH("/steps/{id}", { params: { path: { id: step.id } }, body: { name: next } }));
    },
    onSuccess: async (_, next) => {
      on.onNamed(step.id, next || null);
      setName(undefined);
      await queries.invalidateQueries({ queryKey: ["bench", picture.id] });
    },
  });
  const time = new Date(step.made_at);
  return (
    <li aria-current={step.id === on.at ? "step" : undefined}>
      <div className="row">
        <button
          type="button"
          className="quiet-button"
          onClick={() => {
            on.goTo(step.id);
          }}
        >
          {step.name ? <b>{step.name}</b> : step.summary}
        </button>
        {step.id === on.at && <span className="soft">on the bench</span>}
        {step.id === on.over && <span className="soft">current version</span>}
        <span className="gap" />
        <time className="figure soft" dateTime={step.made_at}>
          {time.toLocaleDateString() === new Date().toLocaleDateString()
            ? time.toLocaleTimeString()
            : time.toLocaleString()}
        </time>
      </div>
      <div className="row">
        {step.name && <span className="soft">{step.summary}</span>}
        {name === undefined ? (
          <Button
            size="small"
            type="text"
            onClick={() => {
              setName(step.name ?? "");
            }}
          >
            {step.name ? "Rename" : "Name it"}
          </Button>
        ) : (
          <form
            className="row"
            onSubmit={(event) => {
              event.preventDefault();
              rename.mutate(name);
            }}
          >
            <Input
              aria-label="Name of this step"
              size="small"
              value={name}
              onChange={({ target }) => {
                setName(target.value);
              }}
            />
            <Button size="small" htmlType="submit">
              Save
            </Button>
          </form>
        )}
        <Button size="small" type="text" aria-pressed={compared} onClick={onCompare}>
          {compared ? "Compared" : "Compare"}
        </Button>
      </div>
      {rename.error && <ProblemNote error={rename.error} />}
    </li>
  );
}

/** Two steps beside each other. */
export function Compare({ picture, steps }: { picture: Picture; steps: Step[] }) {
  return (
    <div className="compare">
      {steps.map((step) => (
        <ComparedStep key={step.id} picture={picture} step={step} />
      ))}
    </div>
  );
}

function ComparedStep({ picture, step }: { picture: Picture; step: Step }) {
  const adjustments = useQuery({
    queryKey: ["step", step.id],
    staleTime: Infinity,
    queryFn: async ({ signal }) => unwrap(await api.GET("/steps/{id}", { params: { path: { id: step.id } }, signal })),
  });
  return (
    <figure>
      {adjustments.data ? (
        <Whole picture={picture} adjustments={adjustments.data} />
      ) : (
        <span className="soft">Fetching…</span>
      )}
      <figcaption>{step.name ?? step.summary}</figcaption>
    </figure>
  );
}

/** All of a picture with its edits, small. */
export function Whole({
  picture,
  adjustments,
  width = 200,
}: {
  picture: Picture;
  adjustments: Adjustments;
  width?: number;
}) {
  const views = useViews(
    picture.id,
    adjustments,
    useMemo(() => [{ width: width * 2 }], [width]),
  );
  const place = views.data?.places[0];
  const height = place ? (width * place.height) / place.width : width * 0.66;
  return (
    <Painted bitmap={views.data?.bitmap} part={place ?? undefined} width={width} height={height} label={picture.name} />
  );
}
