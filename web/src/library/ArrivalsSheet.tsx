import { Button, Select } from "antd";
import { useState } from "react";
import { Link } from "react-router";
import type { FileOutcome, ImportAction } from "../api/client";
import { useSite } from "../api/useSite";
import { useSizeSets } from "../api/useSizeSets";
import { SideSheet } from "../ui/SideSheet";
import { bytes, count, formatName, pixels, timeLeft } from "../ui/figures";
import { arrivals, isUnderWay, type Arrival, type Stage } from "./arrivals";
import { ChooseFiles } from "./ChooseFiles";
import { SiteFolder } from "./SiteFolder";
import { useArrivals } from "./useArrivals";

const MOST_SHOWN = 200;

/** The side sheet of files on their way in, and how they fared. */
export function ArrivalsSheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  const list = useArrivals();
  const underWay = list.filter(({ stage }) => isUnderWay(stage)).length;
  const again = list.filter(({ stage }) => stage.name === "refused" && !stage.final).length;
  return (
    <SideSheet title="Uploads" open={open} onClose={onClose}>
      <div className="arrivals">
        <div className="arrivals-head">
          <ChooseFiles />
          <ChooseFiles folder />
          {underWay > 0 ? (
            <Button
              onClick={() => {
                arrivals.cancelAll();
              }}
            >
              Cancel {count(underWay, "file")}
            </Button>
          ) : (
            list.length > 0 && (
              <Button
                onClick={() => {
                  arrivals.clear();
                }}
              >
                Clear the list
              </Button>
            )
          )}
        </div>
        <Rule />
        {list.length === 0 && (
          <p className="soft">
            Drop files, folders or a zip anywhere in this window. JPEG, PNG, WebP, AVIF, JPEG XL, GIF, TIFF, BMP, SVG
            and ICO are accepted, each up to 200 MB. An upload that breaks off resumes where it stopped.
          </p>
        )}
        {list.length > 1 && <Totals list={list} />}
        {again > 1 && (
          <Button
            onClick={() => {
              arrivals.retryAll();
            }}
          >
            Try {count(again, "file")} again
          </Button>
        )}
        <ul>
          {list.slice(0, MOST_SHOWN).map((arrival) => (
            <ArrivalRow key={arrival.key} arrival={arrival} onOpen={onClose} />
          ))}
        </ul>
        {list.length > MOST_SHOWN && <p className="soft">and {count(list.length - MOST_SHOWN, "file")} more</p>}
        <SiteFolder />
      </div>
    </SideSheet>
  );
}

const RULES = { list: "only list them", slots: "make the files of their slots" } as const;

/** What is done with the files that come next. */
function Rule() {
  const site = useSite();
  const sets = useSizeSets();
  const [chosen, setChosen] = useState("site");
  const own = site.data?.import_action;
  const ownWords = !own ? "" : own.do === "size-set" ? `make the sizes “${own.name}”` : RULES[own.do];
  const options = [
    { value: "site", label: `Default: ${ownWords}` },
    { value: "list", label: "Only add them to the library" },
    { value: "slots", label: "Make the files of their slots" },
    ...(sets.data ?? []).map(({ name }) => ({ value: `set:${name}`, label: `Make the sizes “${name}”` })),
  ];
  const choose = (value: string) => {
    setChosen(value);
    const import_action: ImportAction | undefined =
      value === "site"
        ? undefined
        : value === "list" || value === "slots"
          ? { do: value }
          : { do: "size-set", name: value.slice(4) };
    arrivals.import_action = import_action;
  };
  return <Select aria-label="Intake rule" value={chosen} onChange={choose} options={options} />;
}

function Totals({ list }: { list: readonly Arrival[] }) {
  const outcomes = list.flatMap(({ stage }) => (stage.name === "done" ? stage.files : []));
  const kinds = (kind: FileOutcome["outcome"]) => outcomes.filter(({ outcome }) => outcome === kind).length;
  const waiting = list.filter(({ stage }) => isUnderWay(stage)).length;
  const refused = kinds("refused") + list.filter(({ stage }) => stage.name === "refused").length;
  const seconds = arrivals.secondsLeft();
  return (
    <p className="arrivals-totals" role="status">
      <b>{kinds("taken") + kinds("back")} added</b>
      {kinds("there") > 0 && ` · ${count(kinds("there"), "duplicate")} skipped`}
      {refused > 0 && ` · ${refused} not added`}
      {waiting > 0 && ` · ${waiting} to go`}
      {waiting > 0 && seconds !== undefined && <span className="soft"> · {timeLeft(seconds)}</span>}
    </p>
  );
}

function ArrivalRow({ arrival, onOpen }: { arrival: Arrival; onOpen: () => void }) {
  const { key, file, folder, stage } = arrival;
  const [only] = stage.name === "done" && stage.files.length === 1 ? stage.files : [];
  return (
    <li data-stage={only?.outcome ?? stage.name}>
      <div className="arrival-name">
        {folder && <span className="soft">{folder}/</span>}
        <bdi>{file.name}</bdi>
      </div>
      <div className="arrival-state">
        <StageWords stage={stage} size={file.size} />
        {isUnderWay(stage) && (
          <button
            type="button"
            className="quiet-button"
            onClick={() => {
              arrivals.cancel(key);
            }}
          >
            Cancel
          </button>
        )}
        {(stage.name === "cancelled" || (stage.name === "refused" && !stage.final)) && (
          <button
            type="button"
            className="quiet-button"
            onClick={() => {
              arrivals.retry(key);
            }}
          >
            Retry
          </button>
        )}
        {only?.picture && (
          <Link to={`/bench/${only.picture.id}`} onClick={onOpen}>
            Open on the bench
          </Link>
        )}
      </div>
      {stage.name === "sending" && (
        <progress value={stage.sent} max={Math.max(1, file.size)} aria-label={`Sending ${file.name}`} />
      )}
    </li>
  );
}

function StageWords({ stage, size }: { stage: Stage; size: number }) {
  switch (stage.name) {
    case "waiting":
      return (
        <span className="soft">
          Waiting · <span className="figure">{bytes(size)}</span>
        </span>
      );
    case "sending":
      return (
        <span>
          Sending{" "}
          <span className="figure">
            {bytes(stage.sent)} of {bytes(size)}
          </span>
        </span>
      );
    case "checking":
      return <span>Checking and storing it…</span>;
    case "cancelled":
      return <span className="soft">Cancelled; nothing was kept.</span>;
    case "refused":
      return (
        <span>
          <b>Not added:</b> {stage.reason}
        </span>
      );
    case "done": {
      const [only, ...others] = stage.files;
      return only && others.length === 0 ? <OutcomeWords file={only} /> : <Archive files={stage.files} />;
    }
  }
}

const OUTCOMES = {
  taken: "Added",
  there: "Duplicate, skipped",
  back: "It was removed before; now restored",
} as const;

function OutcomeWords({ file: { outcome, picture, reason } }: { file: FileOutcome }) {
  if (outcome === "refused" || !picture)
    return (
      <span>
        <b>Not added:</b> {reason}
      </span>
    );
  return (
    <span>
      {OUTCOMES[outcome]} ·{" "}
      <span className="figure">
        {formatName[picture.format]} {pixels(picture.width, picture.height)} {bytes(picture.bytes)}
      </span>
    </span>
  );
}

function Archive({ files }: { files: FileOutcome[] }) {
  const refused = files.filter(({ outcome }) => outcome === "refused");
  const there = files.filter(({ outcome }) => outcome === "there").length;
  return (
    <span>
      {count(files.length - refused.length - there, "picture")} added from it
      {there > 0 && `, ${count(there, "duplicate")} skipped`}
      {refused.length > 0 && (
        <details>
          <summary>{count(refused.length, "file")} not added</summary>
          <ul className="name-list">
            {refused.slice(0, 100).map(({ name, reason }) => (
              <li key={name}>
                <b>
                  <bdi>{name}</bdi>
                </b>{" "}
                {reason}
              </li>
            ))}
          </ul>
        </details>
      )}
    </span>
  );
}
