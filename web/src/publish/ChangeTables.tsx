import { Link } from "react-router";
import type { PublicationReport, WholePublication } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { DoneTable } from "../ui/DoneTable";
import { count } from "../ui/figures";

/** Rows that are drawn at most; all are in what the API tells. */
const MOST = 2_000;

function More({ of }: { of: number }) {
  return of > MOST ? <p className="soft">{count(of - MOST, "more row")} are not shown.</p> : null;
}

/** Each place that offers other files, the most different first. */
export function PlacesTable({ publication }: { publication: WholePublication }) {
  const { report, names } = publication;
  const places = report?.places ?? [];
  return (
    <div className="done-rows">
      <DoneTable
        columns={[
          "Page",
          "Picture",
          "Slot",
          { figures: "Files" },
          { figures: "At most, before → after" },
          { figures: "Look" },
          "In the browser",
        ]}
      >
        {places.slice(0, MOST).map((place) => (
          <tr key={`${place.page} ${place.selector}`}>
            <td title={place.selector}>{place.page}</td>
            <td>
              <Link to={`/bench/${place.picture}?step=encode&for=${place.slot}`}>
                <bdi>{names[place.picture] ?? place.source}</bdi>
              </Link>
            </td>
            <td>
              <bdi>{names[place.slot]}</bdi>
            </td>
            <td className="right figure">{place.files}</td>
            <td className="right">
              <Bytes of={place.before} /> → <Bytes of={place.after} />
            </td>
            <td className="right">
              <LookWords place={place} />
            </td>
            <td>
              {place.is_as_promised ? "loads what it should" : <b>loads another file than it should</b>}
              {place.is_single && ", one format alone"}
              {place.is_uncaptioned && "; its caption stays: another one would move something"}
            </td>
          </tr>
        ))}
      </DoneTable>
      <More of={places.length} />
    </div>
  );
}

/** How a place is seen beside how it was. */
function LookWords({ place: { page, look, looks_otherwise } }: { place: PublicationReport["places"][number] }) {
  if (!look) return <span title="No picture of it before and after, or it is meant to look otherwise">–</span>;
  return (
    <Link
      to={`?page=${encodeURIComponent(page)}&width=${look.width}`}
      title={`Score beside how it was, at ${look.width} px: 100 where nothing differs. Opens both.`}
    >
      <span className="figure">{look.score.toFixed(0)}</span>
      {looks_otherwise && <b> looks otherwise</b>}
    </Link>
  );
}

const KINDS = { file: "picture", style: "style sheet", page: "page" } as const;

/** Each file that is written, in that order. */
export function FilesTable({ report }: { report: PublicationReport }) {
  return (
    <div className="done-rows">
      <DoneTable columns={["File", "Kind", "What happens", { figures: "Before" }, { figures: "After" }]}>
        {report.files.slice(0, MOST).map((file) => (
          <tr key={file.path}>
            <td className="figure">{file.path}</td>
            <td>{KINDS[file.kind]}</td>
            <td>{file.before == null ? "added" : "replaced"}</td>
            <td className="right">{file.before == null ? "–" : <Bytes of={file.before} />}</td>
            <td className="right">
              <Bytes of={file.after} />
            </td>
          </tr>
        ))}
        {report.unused.map((path) => (
          <tr key={path} data-state="skipped">
            <td className="figure">{path}</td>
            <td>picture</td>
            <td>stays, no page shows it any more</td>
            <td className="right">–</td>
            <td className="right">–</td>
          </tr>
        ))}
      </DoneTable>
      <More of={report.files.length} />
    </div>
  );
}

/** Each place that is left as it is, and why. */
export function LeftTable({ report }: { report: PublicationReport }) {
  if (report.left.length === 0 && report.unmeasured.length === 0)
    return (
      <div className="empty">
        <h2>Nothing is left</h2>
        <span className="soft">Every place that was asked for offers its files.</span>
      </div>
    );
  return (
    <div className="done-rows">
      <DoneTable columns={["Page", "Place", "Why"]}>
        {report.unmeasured.map(({ page, reason }) => (
          <tr key={page}>
            <td>{page}</td>
            <td>the whole page</td>
            <td>
              <b>could not be measured: {reason}</b>
            </td>
          </tr>
        ))}
        {report.left.slice(0, MOST).map((left, n) => (
          <tr key={n} data-state={left.is_failure ? undefined : "skipped"}>
            <td>{left.page}</td>
            <td className="figure place-selector" title={left.selector}>
              {left.selector}
            </td>
            <td>{left.is_failure ? <b>{left.words}</b> : left.words}</td>
          </tr>
        ))}
      </DoneTable>
      <More of={report.left.length} />
    </div>
  );
}
