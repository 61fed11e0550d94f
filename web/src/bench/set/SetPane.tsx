import { Button } from "antd";
import {
  saveUrl,
  type Adjustments,
  type Job,
  type Picture,
  type ResponsiveSet,
  type SetFile,
  siteApi,
} from "../../api/client";
import { Bytes } from "../../ui/Bytes";
import { bytes, count, formatName, timeLeft } from "../../ui/figures";
import { IssueLine } from "../../ui/IssueLine";
import { MarginBar, MarginWords } from "../../ui/MarginBar";
import { ProblemNote } from "../../ui/ProblemNote";
import { outcomeWords, ruleWords } from "../trials/words";
import { Address } from "./Address";
import { Downloads } from "./Downloads";
import { Copy, Markup } from "./Markup";
import { useMakeSet, useSet } from "./useSet";
import "./set.css";

interface Props {
  picture: Picture;
  slot: string | undefined;
  adjustments: Adjustments;
}

/** All files of a picture for a slot: widths by formats, what each screen downloads, and the markup. */
export function SetPane({ picture, slot, adjustments }: Props) {
  const set = useSet(picture.id, slot, adjustments);
  const { make, cancel } = useMakeSet(picture.id, slot, adjustments);
  if (!slot)
    return (
      <Empty words="Choose a slot above: a typed size is one file, and a set has one for each of a slot's screens." />
    );
  if (!set.data)
    return (
      <section className="set-pane">
        {set.error ? <ProblemNote error={set.error} /> : <p className="empty soft">Planning the set…</p>}
      </section>
    );
  const { files, made } = set.data;
  const job = set.data.job;
  const making = job?.state === "waiting" || job?.state === "running";
  const problem = make.error ?? cancel.error ?? set.error;
  const left = files - made;
  const excluded = set.data.decision.excluded.value;
  const hindrance = excluded ? "The picture is excluded by a rule" : left === 0 ? "Every file is made" : undefined;
  return (
    <section className="set-pane" aria-label="Responsive set">
      <div className="bar">
        <span data-testid="set-state">
          <b>
            {made} of {count(files, "file")}
          </b>{" "}
          made
          {made > 0 && (
            <>
              , <Bytes of={set.data.bytes} /> in all
            </>
          )}
        </span>
        <span className="gap" />
        {making ? (
          <>
            <Progress job={job} />
            <Button
              size="small"
              disabled={job.cancel_asked}
              title={job.cancel_asked ? "It ends after the files in hand" : undefined}
              onClick={() => {
                cancel.mutate(job.id);
              }}
            >
              Cancel
            </Button>
          </>
        ) : (
          <Button
            size="small"
            type="primary"
            disabled={hindrance !== undefined}
            title={hindrance}
            loading={make.isPending}
            onClick={() => {
              make.mutate();
            }}
          >
            {left === 0 ? "All made" : `Make ${count(left, "file")}`}
          </Button>
        )}
      </div>
      {problem && <ProblemNote error={problem} />}
      {job?.state === "failed" && left > 0 && (
        <div className="notice" role="alert">
          <b>Not all files were made:</b>
          <span>{job.reason}</span>
        </div>
      )}
      {set.data.issues.map((issue) => (
        <IssueLine key={issue.words} issue={issue} />
      ))}
      {set.data.drawing && <DrawingLine picture={picture.id} drawing={set.data.drawing} />}
      <div className="set-body">
        <div className="set-files">
          <FilesOfSet set={set.data} />
          <p className="soft rule-words" data-testid="set-rule">
            {ruleWords(set.data)}
          </p>
        </div>
        <div className="set-side">
          <Downloads set={set.data} />
          <Address picture={picture} slot={slot} made={made > 0} />
          {set.data.markup && <Markup text={set.data.markup} made={left === 0} isBackground={set.data.is_background} />}
        </div>
      </div>
    </section>
  );
}

function Empty({ words }: { words: string }) {
  return (
    <section className="set-pane">
      <div className="empty">
        <h2>No slot is chosen</h2>
        <span className="soft">{words}</span>
      </div>
    </section>
  );
}

/** A drawing needs none of the files: one is sharp on every screen. */
function DrawingLine({ picture, drawing }: { picture: string; drawing: NonNullable<ResponsiveSet["drawing"]> }) {
  return (
    <div className="drawing-line">
      <span>
        <b>A drawing stays one:</b> as SVG it is sharp on every screen, cleaned <Bytes of={drawing.saving.before} /> →{" "}
        <Bytes of={drawing.saving.after} />.
      </span>
      <MarginBar margin={drawing.margin} />
      <MarginWords margin={drawing.margin} />
      <a href={`${siteApi}/pictures/${picture}/drawing`} download={drawing.name}>
        Download
      </a>
      <Copy text={drawing.markup} words="Copy its markup" />
    </div>
  );
}

/** How far it is, and how long it still takes at the pace so far. */
function Progress({ job }: { job: Job }) {
  const left = job.seconds_left;
  const words =
    job.state === "waiting" ? "waits for its turn" : left == null ? "the first file is on its way" : timeLeft(left);
  return (
    <span className="part" role="status">
      <progress max={job.total ?? 1} value={job.done} aria-label="Files made" />
      {words}
    </span>
  );
}

/** Widths down, formats across; each shape of the slot has widths of its own. */
function FilesOfSet({ set }: { set: ResponsiveSet }) {
  return (
    <table className="set-table">
      <thead>
        <tr>
          <th scope="col">Pixels</th>
          {set.formats.map((format) => (
            <th key={format} scope="col" className="right">
              {formatName[format]}
            </th>
          ))}
        </tr>
      </thead>
      {set.parts.map((part) => (
        <tbody key={part.media ?? ""}>
          {set.parts.length > 1 && (
            <tr>
              <th colSpan={1 + set.formats.length} scope="rowgroup" className="set-part">
                <b>{part.media ?? "narrower viewports"}</b>
                <span className="figure soft"> sizes {part.sizes}</span>
              </th>
            </tr>
          )}
          {part.steps.map((step) => (
            <tr key={step.width}>
              <th scope="row" className="figure">
                {step.width} × {step.height}
              </th>
              {step.files.map((file) => (
                <FileCell key={file.format} file={file} />
              ))}
            </tr>
          ))}
        </tbody>
      ))}
    </table>
  );
}

function FileCell({ file }: { file: SetFile }) {
  const { made } = file;
  if (!made)
    return (
      <td className="right soft" title={file.name}>
        not made
      </td>
    );
  const missed = outcomeWords(made.outcome, formatName[file.format]);
  const words = [
    file.name,
    made.encoding,
    made.is_copy ? "the original's own file: it was small already" : undefined,
    missed,
  ]
    .filter(Boolean)
    .join(" · ");
  return (
    <td className="right" data-file={file.name} data-bytes={made.margin.weight}>
      <a href={saveUrl(made.variant)} download={file.name} title={words}>
        {bytes(made.margin.weight)}
      </a>
      <span className="score-words">
        {made.is_copy ? (
          "already small"
        ) : (
          <>
            {made.word} <span className="figure">{made.score?.toFixed(0)}</span>
          </>
        )}
        {missed && <b title={missed}> !</b>}
      </span>
    </td>
  );
}
