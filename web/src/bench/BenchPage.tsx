import { Button } from "antd";
import { useEffect, useEffectEvent, useState } from "react";
import { Link, useParams } from "react-router";
import { ApiError, originalUrl, type BenchBody, type Picture } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { count, formatName, pixels } from "../ui/figures";
import { MenuButton } from "../ui/MenuButton";
import { ProblemNote } from "../ui/ProblemNote";
import { Tally } from "../ui/Tally";
import { WaitingRows } from "../ui/Waiting";
import { useAddress } from "../ui/useAddress";
import { isTyping } from "../ui/useKey";
import { usePublishKey } from "../ui/usePublishKey";
import { useTitle } from "../ui/useTitle";
import "./bench.css";
import { EncodeStep } from "./EncodeStep";
import { FinishStep } from "./finish/FinishStep";
import { FrameStep } from "./frame/FrameStep";
import { HistorySheet } from "./HistorySheet";
import { lastPicture } from "./lastPicture";
import { BesideSheet, SaveSheet } from "./SaveSheets";
import { RotateButtons } from "./RotateButtons";
import { useSave } from "./useSave";
import { usePicture } from "./usePicture";
import { useBench, useWork } from "./useWork";

const STEPS = ["frame", "finish", "encode"] as const;
type Step = (typeof STEPS)[number];
const STEP_WORDS: Record<Step, string> = { frame: "Frame", finish: "Finish", encode: "Encode" };

/** The bench: one picture, framed, finished and encoded. */
export function BenchPage() {
  const { id } = useParams();
  const picture = usePicture(id);
  const bench = useBench(id);
  const gone = picture.error instanceof ApiError && picture.error.status === 404;
  useEffect(() => {
    if (picture.data) lastPicture.set(picture.data.id);
    if (gone) lastPicture.forget();
  }, [picture.data, gone]);
  const error = gone ? null : (picture.error ?? bench.error);
  return (
    <>
      <div className="work">
        <main>
          {picture.data && bench.data && <Bench key={picture.data.id} picture={picture.data} bench={bench.data} />}
          {id !== undefined && !error && !gone && (picture.isPending || bench.isPending) && <WaitingRows rows={6} />}
          {(id === undefined || gone) && <EmptyBench />}
          {error && (
            <ProblemNote
              error={error}
              again={() => {
                void picture.refetch();
                void bench.refetch();
              }}
            />
          )}
        </main>
      </div>
      <Tally
        of={picture.data ? { ids: [picture.data.id] } : { filter: {} }}
        where={picture.data ? "on the bench" : "in the library"}
      >
        <span id="tally-choice" />
      </Tally>
    </>
  );
}

function EmptyBench() {
  return (
    <div className="empty">
      <h2>No picture lies on the bench</h2>
      <span className="soft">
        Open one from the <Link to="/library">library</Link>: choose its row and press Enter. Or begin a{" "}
        <Link to="/library?new=banner">banner</Link> from a slot&apos;s exact size.
      </span>
    </div>
  );
}

type Sheet = "history" | "save" | "beside";

function Bench({ picture, bench }: { picture: Picture; bench: BenchBody }) {
  const [address, changeAddress] = useAddress();
  const asked = address.get("step");
  const slots = address.getAll("slot");
  useTitle(picture.name, "Bench");
  // Without a slot there is nothing to be framed for.
  const first = bench.places.length > 0 || slots.length > 0 ? "frame" : "encode";
  const step: Step = STEPS.find((one) => one === asked) ?? first;
  const on = useWork(picture, bench);
  const [sheet, setSheet] = useState<Sheet>();
  const unsaved = on.at === undefined ? on.saving : on.at !== on.over;
  const goTo = (next: Step) => {
    changeAddress({ step: next }, "back");
  };
  const onSlots = (next: string[]) => {
    changeAddress({ slot: next });
  };
  const original = bench.steps[0] ?? on.bench.steps[0];
  const atOriginal = on.at === original?.id || original === undefined;
  const hasOriginal = on.bench.steps[0] !== undefined;
  useUndoKeys(on.undo, on.redo);
  const save = useSave(picture, on);
  // What needs a decision is asked; the rest is done, and can be taken back.
  const saveNow = () => {
    const ask = () => {
      setSheet("save");
    };
    if (on.isSavedElsewhere || !on.over) ask();
    else if (unsaved) save.mutate(undefined, { onError: ask });
  };
  useSaveKey(saveNow);
  const publishes = `/publish?picture=${picture.id}`;
  usePublishKey(publishes);
  const more = [
    {
      key: "where",
      label: "Where it is shown…",
      onClick: () => {
        setSheet("save");
      },
    },
    {
      key: "publish",
      label: <Link to={publishes}>Publish wherever it is shown…</Link>,
    },
    {
      key: "beside",
      label: "Save as new…",
      onClick: () => {
        setSheet("beside");
      },
    },
    {
      key: "history",
      label: "History",
      onClick: () => {
        setSheet("history");
      },
    },
    {
      key: "original",
      label: atOriginal ? "It is the original" : "Back to the original (undo brings the edits back)",
      disabled: !hasOriginal || atOriginal,
      onClick: () => {
        if (on.bench.steps[0]) on.goTo(on.bench.steps[0].id);
      },
    },
    {
      key: "file",
      label: (
        <a href={originalUrl(picture.id)} download={picture.name}>
          Download the original file
        </a>
      ),
    },
  ];
  return (
    <>
      <div className="bar bench-bar">
        <h1 className="bench-name" title={picture.name}>
          <bdi>{picture.name}</bdi>
        </h1>
        <span className="figure">
          {formatName[picture.format]} {pixels(picture.width, picture.height)}
        </span>
        <Bytes of={picture.bytes} />
        <nav className="steps" aria-label="Steps of the work">
          {STEPS.map((one) => (
            <button
              key={one}
              type="button"
              aria-current={one === step ? "step" : undefined}
              onClick={() => {
                goTo(one);
              }}
            >
              {STEP_WORDS[one]}
            </button>
          ))}
          <Link to={`/library/${picture.id}`}>Describe</Link>
        </nav>
        <span className="gap" />
        <span className="soft" role="status" data-testid="work-state">
          {on.saving || save.isPending ? "Saving…" : unsaved ? "Unsaved changes" : ""}
        </span>
        <Button
          size="small"
          disabled={!on.undo}
          title={on.undo ? "Ctrl Z" : "Nothing to undo: this is how it arrived"}
          onClick={on.undo}
        >
          Undo
        </Button>
        <Button
          size="small"
          disabled={!on.redo}
          title={on.redo ? "Ctrl Shift Z" : "Nothing was undone"}
          onClick={on.redo}
        >
          Redo
        </Button>
        <RotateButtons picture={picture} on={on} />
        <Button
          size="small"
          type="primary"
          disabled={!unsaved}
          title={unsaved ? `For ${whereWords(bench.places.length)} (Ctrl S)` : "Nothing was changed since it was saved"}
          onClick={saveNow}
        >
          Save
        </Button>
        <MenuButton size="small" items={more}>
          More…
        </MenuButton>
      </div>
      {on.error && <ProblemNote error={on.error} {...(on.retry && { again: on.retry })} />}
      {on.isSavedElsewhere && !save.isPending && (
        <div className="notice" role="status">
          <b>There is a newer version.</b>
          <span>
            Since you began, this picture was saved or taken back elsewhere. Your changes are safe; Save shows both.
          </span>
        </div>
      )}
      {step === "frame" && <FrameStep picture={picture} on={on} slots={slots} onSlots={onSlots} />}
      {step === "finish" && <FinishStep picture={picture} on={on} slots={slots} />}
      {step === "encode" && <EncodeStep picture={picture} on={on} slots={slots} />}
      <HistorySheet
        picture={picture}
        on={on}
        open={sheet === "history"}
        onClose={() => {
          setSheet(undefined);
        }}
      />
      <SaveSheet
        picture={picture}
        on={on}
        open={sheet === "save"}
        onClose={() => {
          setSheet(undefined);
        }}
        onBeside={() => {
          setSheet("beside");
        }}
      />
      <BesideSheet
        picture={picture}
        on={on}
        open={sheet === "beside"}
        onClose={() => {
          setSheet(undefined);
        }}
      />
    </>
  );
}

const whereWords = (places: number) =>
  places > 0 ? `all ${count(places, "place")} that show it` : "whoever shows it later";

/** Ctrl S, also while somebody types: the browser would save the page otherwise. */
function useSaveKey(save: () => void) {
  const call = useEffectEvent(save);
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey) || event.shiftKey || event.altKey || event.key.toLowerCase() !== "s")
        return;
      event.preventDefault();
      call();
    };
    addEventListener("keydown", listen);
    return () => {
      removeEventListener("keydown", listen);
    };
  }, []);
}

/** Ctrl Z and Ctrl Shift Z, except while somebody types. */
function useUndoKeys(undo: (() => void) | undefined, redo: (() => void) | undefined) {
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      if (!(event.ctrlKey || event.metaKey) || event.altKey || isTyping(event.target)) return;
      const key = event.key.toLowerCase();
      const call = key === "z" ? (event.shiftKey ? redo : undo) : key === "y" ? redo : undefined;
      if (!call) return;
      event.preventDefault();
      call();
    };
    addEventListener("keydown", listen);
    return () => {
      removeEventListener("keydown", listen);
    };
  }, [undo, redo]);
}
