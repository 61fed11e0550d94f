import { Button } from "antd";
import { useRef } from "react";
import { Link, useParams } from "react-router";
import { siteApi, type RunCheck } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { count } from "../ui/figures";
import { notices } from "../ui/notice";
import { ProblemNote } from "../ui/ProblemNote";
import { nameOf } from "../ui/runWords";
import { useKey } from "../ui/useKey";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import "./runs.css";
import { useApprove, useChecks, useMakeAgain, useRun, useTakeRunBack } from "./useRuns";

type Verdict = "approve" | "refuse";

/** Results of a run side by side at true size, where each differs most: to be approved or refused by eye. */
export function CheckPage() {
  const { id = "" } = useParams();
  const run = useRun(id);
  const checks = useChecks(id);
  const approve = useApprove(id);
  const refuse = useTakeRunBack(id);
  const again = useMakeAgain(id);
  useTitle("Check results", run.data && nameOf(run.data));
  const list = useRef<HTMLOListElement>(null);
  const cards = () => [...(list.current?.querySelectorAll<HTMLElement>("[data-check]") ?? [])];
  const focused = () => cards().findIndex((card) => card.contains(document.activeElement));
  const step = (by: number) => {
    const all = cards();
    all[Math.min(Math.max(focused() + by, 0), all.length - 1)]?.focus();
  };
  /** The next one takes the place of one that was decided. */
  const goOn = (at: number) => {
    setTimeout(() => {
      const all = cards();
      all[Math.min(at, all.length - 1)]?.focus();
    });
  };
  const approved = (places: number[], words: string, then?: () => void) => {
    approve.mutate(
      { places, approved: true },
      {
        onSuccess: () => {
          const undo = async () => {
            await approve.mutateAsync({ places, approved: false });
          };
          notices.show({ words, undo });
          then?.();
        },
      },
    );
  };
  const refused = (places: number[], words: string, then: () => void) => {
    refuse.mutate(places, {
      onSuccess: () => {
        const undo = async () => {
          await again.mutateAsync(places);
        };
        notices.show({ words, undo });
        then();
      },
    });
  };
  const decide = ({ place, name }: RunCheck, verdict: Verdict) => {
    const at = focused();
    const then = () => {
      goOn(at);
    };
    if (verdict === "approve") approved([place], `Approved: ${name}.`, then);
    else refused([place], `Refused: the files of ${name} were taken back.`, then);
  };
  useKey((event) => {
    const check = checks.data?.[focused()];
    if (event.key === "ArrowRight" || event.key === "ArrowDown" || event.key === "n") step(1);
    else if (event.key === "ArrowLeft" || event.key === "ArrowUp") step(-1);
    else if (event.key === "k" && check) decide(check, "approve");
    else if (event.key === "r" && check) decide(check, "refuse");
    else return;
    event.preventDefault();
  });
  const left = run.data?.unchecked ?? 0;
  const error = approve.error ?? refuse.error ?? again.error;
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <h1>Check results</h1>
            <span className="soft">
              {count(left, "set")} to look at, the lowest scores first; each where it differs most, at true size
            </span>
            <span className="gap" />
            {checks.data && checks.data.length > 0 && (
              <Button
                onClick={() => {
                  const places = checks.data.map(({ place }) => place);
                  approved(places, `Approved: ${count(places.length, "set")}.`);
                }}
              >
                Approve these {checks.data.length}
              </Button>
            )}
            <Link to={`/runs/${id}`}>Back to the run</Link>
          </div>
          {run.error && <ProblemNote error={run.error} again={() => void run.refetch()} />}
          {checks.error && <ProblemNote error={checks.error} again={() => void checks.refetch()} />}
          {error && <ProblemNote error={error} />}
          {checks.isPending && <WaitingRows rows={8} />}
          {checks.data?.length === 0 && (
            <div className="empty">
              <h2>Nothing left to look at</h2>
              <span className="soft">Everything that this run made was approved, or taken back.</span>
            </div>
          )}
          <ol className="check-sheet" ref={list}>
            {checks.data?.map((check) => (
              <CheckCard
                key={check.place}
                check={check}
                onDecide={(verdict) => {
                  decide(check, verdict);
                }}
              />
            ))}
          </ol>
        </main>
      </div>
      <footer className="tally" aria-label="Tally">
        <span className="part">
          <kbd>←</kbd> <kbd>→</kbd> another one
        </span>
        <span className="part">
          <kbd>K</kbd> approve
        </span>
        <span className="part">
          <kbd>R</kbd> refuse: its files are taken back
        </span>
        <span className="part">
          <kbd>U</kbd> take the last one back
        </span>
      </footer>
    </>
  );
}

interface CardProps {
  check: RunCheck;
  onDecide: (verdict: Verdict) => void;
}

function CheckCard({ check, onDecide }: CardProps) {
  const { name, slot_name: slot, score, word, before, after } = check;
  const bench = `/bench/${check.picture}?step=encode&for=${check.slot}`;
  const words = `${name} in ${slot}: ${word} ${score.toFixed(1)}`;
  return (
    <li>
      <article data-check={check.place} tabIndex={-1} aria-label={words}>
        <header>
          <Link to={bench} title="Look at it on the bench">
            <bdi>{name}</bdi>
          </Link>
          <bdi className="soft">{slot}</bdi>
          <span className="gap" />
          <span className="figure">
            {word} {score.toFixed(1)}
          </span>
        </header>
        <div className="check-pair">
          <Spot check={check} of="reference" label="as it was" />
          <Spot check={check} of="file" label={check.encoding} />
        </div>
        <footer>
          {before != null && after != null && (
            <span>
              <Bytes of={before} /> → <Bytes of={after} />
            </span>
          )}
          <span className="gap" />
          <Button
            size="small"
            aria-label={`Approve ${name} in ${slot}`}
            onClick={() => {
              onDecide("approve");
            }}
          >
            Approve
          </Button>
          <Button
            size="small"
            aria-label={`Refuse ${name} in ${slot}`}
            onClick={() => {
              onDecide("refuse");
            }}
          >
            Refuse
          </Button>
        </footer>
      </article>
    </li>
  );
}

interface SpotProps {
  check: RunCheck;
  of: "reference" | "file";
  label: string;
}

/** The worst place of a file, or the same place of its pixels: one device pixel for each of its own. */
function Spot({ check, of, label }: SpotProps) {
  const { trial, size, spot } = check;
  if (!trial || !size || !spot) return <span className="soft">Not kept; look at it on the bench.</span>;
  const { x, y, width, height } = spot.place;
  const px = (pixels: number) => `${pixels / devicePixelRatio}px`;
  return (
    <figure>
      <div
        role="img"
        aria-label={`${check.name}, ${label}`}
        data-spot={of}
        style={{
          width: px(width),
          height: px(height),
          backgroundImage: `url("${siteApi}/trials/${trial}/${of}")`,
          backgroundPosition: `${px(-x)} ${px(-y)}`,
          backgroundSize: `${px(size.width)} ${px(size.height)}`,
        }}
      />
      <figcaption className="soft">{label}</figcaption>
    </figure>
  );
}
