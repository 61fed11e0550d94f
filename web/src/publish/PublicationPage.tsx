import { Segmented } from "antd";
import { Link, useNavigate, useParams } from "react-router";
import type { WholePublication } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { count, formatName, moment } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { useAddress } from "../ui/useAddress";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import { FilesTable, LeftTable, PlacesTable } from "./ChangeTables";
import { ChangedPages } from "./ChangedPages";
import { PublicationBar } from "./PublicationBar";
import "../ui/tables.css";
import "./publish.css";
import { ScreenWords } from "./ScreenWords";
import { useActOnPublication, useChangedSince, usePublication } from "./usePublications";
import { nameOf, sumWords } from "./words";

type View = "pages" | "places" | "files" | "left";

/** One publication: what it would change or changed, and what can be done with it. */
export function PublicationPage() {
  const { id = "" } = useParams();
  const navigate = useNavigate();
  const publication = usePublication(id);
  const act = useActOnPublication(id);
  useTitle(publication.data && nameOf(publication.data), "Publish");
  const error = publication.error ?? act.error;
  const { data } = publication;
  return (
    <>
      <div className="work">
        <main>
          {data && (
            <PublicationBar
              publication={data}
              act={act}
              onForgotten={() => {
                void navigate("/publish", { replace: true });
              }}
            />
          )}
          {error && <ProblemNote error={error} again={() => void publication.refetch()} />}
          {data && <Notes publication={data} />}
          {publication.isPending && <WaitingRows rows={10} />}
          {data && (data.state === "preparing" ? <Preparing publication={data} /> : <Changes publication={data} />)}
        </main>
      </div>
      <footer className="tally" aria-label="Tally">
        {data?.sums && (
          <>
            <span className="part">
              <b>{data.wish.icons ? "icons" : count(data.sums.places, "place")}</b>{" "}
              {data.state === "published" ? "changed" : "would change"}: {sumWords(data.sums)}
            </span>
            {data.sums.screens.map((screen) => (
              <span className="part" key={screen.width}>
                <ScreenWords screen={screen} />
                {screen.saving.saved > 0 && (
                  <b>
                    saves <Bytes of={screen.saving.saved} />
                  </b>
                )}
              </span>
            ))}
          </>
        )}
      </footer>
    </>
  );
}

function Preparing({ publication }: { publication: WholePublication }) {
  const progress = publication.progress;
  return (
    <div className="empty" role="status">
      <h2>Nothing is written yet</h2>
      <progress max={progress?.total ?? undefined} value={progress?.total ? progress.done : undefined} />
      <span className="soft">
        {progress?.words ?? "waiting for its turn"}
        {progress?.total ? `: ${progress.done} of ${progress.total}` : "…"}
      </span>
      {progress?.reason && <span>{progress.reason}; it is tried again</span>}
    </div>
  );
}

/** What is to be known of a publication before what it changes. */
function Notes({ publication }: { publication: WholePublication }) {
  const { id, state, reason, left_alone, report } = publication;
  const asks = state === "published" || state === "ready";
  const since = useChangedSince(id, asks);
  const changed = asks ? (since.data?.paths ?? []) : left_alone;
  return (
    <>
      {reason && (
        <div className="notice" role="alert">
          <b>{state === "outdated" ? "Nothing was written:" : "It stopped:"}</b>
          <span>{reason}</span>
        </div>
      )}
      {publication.doubts && (
        <div className="notice" role="status" data-testid="doubts">
          <b>Look first:</b> {publication.doubts}. <Link to="?view=places">The places, the most different first</Link>
        </div>
      )}
      {since.data?.problem && (
        <div className="notice" role="alert">
          <b>Its folder cannot be read:</b>
          <span>{since.data.problem}</span>
        </div>
      )}
      {changed.length > 0 && (
        <div className="notice" role="status">
          <b>{state === "partly-back" ? "Left alone:" : "Changed since by somebody else:"}</b>
          <span>
            {changed.slice(0, 6).map((path, n) => (
              <span key={path}>
                {n > 0 && ", "}
                {/\.(html?|css)$/i.test(path) ? (
                  <Link to={`?page=${encodeURIComponent(path)}&show=lines`}>{path}</Link>
                ) : (
                  path
                )}
              </span>
            ))}
            {changed.length > 6 && ` and ${count(changed.length - 6, "more", "more")}`}
          </span>
        </div>
      )}
      {publication.left_formats.map(({ format, why, mend }) => (
        <details className="notice left-format" key={format}>
          <summary>
            <b>Without {formatName[format]}:</b> {why}
          </summary>
          <pre>{mend}</pre>
        </details>
      ))}
      {publication.host_notes.map(({ kind, words, mend }) =>
        mend ? (
          <details className="notice left-format" key={kind}>
            <summary>
              <b>Could be better:</b> {words}
            </summary>
            <pre>{mend}</pre>
          </details>
        ) : (
          <p className="notice" key={kind}>
            <b>Could be better:</b> {words}
          </p>
        ),
      )}
      {publication.wish.icons && state === "published" && (
        <p className="notice" role="status">
          <b>On the site:</b> <Link to="/icons?view=served">check what it serves now</Link>
        </p>
      )}
      <p className="done-facts soft">
        Prepared {moment(publication.created_at)}
        {publication.asked_by && (
          <>
            {" "}
            by <bdi>{publication.asked_by}</bdi>
          </>
        )}
        {publication.published_at && `; published ${moment(publication.published_at)}`}
        {publication.taken_back_at && `; taken back ${moment(publication.taken_back_at)}`}; files go to{" "}
        {publication.wish.folder ? `${publication.wish.folder}/` : "the root of the site"}
        {report && report.unmeasured.length > 0 && `; ${count(report.unmeasured.length, "page")} could not be measured`}
        {report && report.unused.length > 0 && `; ${count(report.unused.length, "file")} no longer shown, and kept`}
      </p>
    </>
  );
}

function Changes({ publication }: { publication: WholePublication }) {
  const [address, change] = useAddress();
  const { report, sums, pages } = publication;
  if (!report || !sums) return null;
  const view = (address.get("view") ?? "pages") as View;
  return (
    <>
      <div className="bar done-views">
        <Segmented<View>
          aria-label="What it changes"
          value={view}
          options={[
            { value: "pages", label: `Pages ${pages.length}` },
            ...(publication.wish.icons ? [] : [{ value: "places" as const, label: `Places ${sums.places}` }]),
            { value: "files", label: `Files ${report.files.length}` },
            { value: "left", label: `Left as they are ${sums.left}` },
          ]}
          onChange={(view) => {
            change({ view: view === "pages" ? undefined : view });
          }}
        />
        {sums.failures > 0 && (
          <span className="soft">{count(sums.failures, "place")} could be mended: see what is left, and why</span>
        )}
      </div>
      {view === "pages" && <ChangedPages publication={publication} />}
      {view === "places" && <PlacesTable publication={publication} />}
      {view === "files" && <FilesTable report={report} />}
      {view === "left" && <LeftTable report={report} />}
    </>
  );
}
