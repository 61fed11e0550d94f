import { Button } from "antd";
import { useRef, useState } from "react";
import { Link } from "react-router";
import type { Archives } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { DoneTable } from "../ui/DoneTable";
import { count, millis } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { useAddress } from "../ui/useAddress";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import "../ui/tables.css";
import "./margins.css";
import { ChartOrTable, useAsTable } from "./ChartOrTable";
import { LoadSection } from "./LoadSection";
import { useArchives } from "./useMargins";
import { ConnectionChoice } from "./ViewChoice";

type Page = Archives["pages"][number];

/** Pages as another tool recorded them: one HAR file, or one before and one after. */
export function ArchivesPage() {
  useTitle("HAR files", "Margins");
  const [address, change] = useAddress();
  const [before, setBefore] = useState<File>();
  const [after, setAfter] = useState<File>();
  const archives = useArchives(before, after, address.get("connection") ?? undefined);
  const pages = archives.data?.pages ?? [];
  const at = Math.min(Number(address.get("at") ?? 0), Math.max(pages.length - 1, 0));
  const asTable = useAsTable();
  const chosen = pages[at];
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <Link to="/margins">Margins</Link>
            <h1>HAR files</h1>
            {archives.data && <ConnectionChoice {...archives.data} />}
            <span className="gap" />
            {chosen && <ChartOrTable />}
          </div>
          <div className="archive-files">
            <ArchiveChoice label="Before, or the only one" file={before} onChoose={setBefore} />
            <ArchiveChoice
              label="After"
              file={after}
              onChoose={setAfter}
              lacking={before ? undefined : "Choose the first file first"}
            />
            <span className="soft">
              Recorded by a browser or another tool, version 1.2. They are weighed and not kept.
            </span>
          </div>
          {archives.error && <ProblemNote error={archives.error} again={() => void archives.refetch()} />}
          {before && archives.isPending && <WaitingRows />}
          {pages.length > 0 && (
            <div className="loads" role="group" aria-label="Pages" tabIndex={0}>
              <PagesTable
                pages={pages}
                at={at}
                onChoose={(at) => {
                  change({ at: at === 0 ? undefined : at });
                }}
              />
              {chosen && <Loads page={chosen} asTable={asTable} />}
            </div>
          )}
        </main>
      </div>
      <footer className="tally" aria-label="Tally">
        {pages.length > 0 && <span className="part">{count(pages.length, "page")}</span>}
      </footer>
    </>
  );
}

function ArchiveChoice({
  label,
  file,
  lacking,
  onChoose,
}: {
  label: string;
  file: File | undefined;
  lacking?: string | undefined;
  onChoose: (file: File) => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <div className="part">
      <input
        ref={input}
        type="file"
        hidden
        accept=".har,.json"
        aria-label={label}
        onChange={({ target }) => {
          const file = target.files?.[0];
          if (file) onChoose(file);
          target.value = "";
        }}
      />
      <Button disabled={lacking !== undefined} title={lacking} onClick={() => input.current?.click()}>
        {label}…
      </Button>
      <bdi className="soft">{file?.name ?? lacking ?? "none chosen"}</bdi>
    </div>
  );
}

function PagesTable({ pages, at, onChoose }: { pages: Page[]; at: number; onChoose: (at: number) => void }) {
  return (
    <DoneTable
      columns={[
        "Page",
        { figures: "Bytes, before → after" },
        { figures: "LCP, before → after" },
        { figures: "Requests" },
      ]}
    >
      {pages.map(({ title, before, after }, n) => (
        <tr key={`${n} ${title}`} aria-current={n === at}>
          <td className="page-name">
            <button
              type="button"
              className="quiet-button"
              onClick={() => {
                onChoose(n);
              }}
            >
              <bdi>{title}</bdi>
            </button>
          </td>
          <td className="right">
            {before ? <Bytes of={before.figures.weight.total} /> : "–"}
            {after && (
              <>
                {" "}
                → <Bytes of={after.figures.weight.total} />
              </>
            )}
          </td>
          <td className="right figure">
            {before ? millis(before.figures.times.lcp) : "–"}
            {after && ` → ${millis(after.figures.times.lcp)}`}
          </td>
          <td className="right figure">
            {before ? before.figures.weight.requests : "–"}
            {after && ` → ${after.figures.weight.requests}`}
          </td>
        </tr>
      ))}
    </DoneTable>
  );
}

/** Both on one axis of time. */
function Loads({ page: { before, after }, asTable }: { page: Page; asTable: boolean }) {
  const end = Math.max(before?.figures.times.end ?? 0, after?.figures.times.end ?? 0);
  return (
    <>
      {before && <LoadSection name={after ? "Before" : "As recorded"} {...before} end={end} asTable={asTable} />}
      {after && <LoadSection name="After" {...after} end={end} asTable={asTable} />}
    </>
  );
}
