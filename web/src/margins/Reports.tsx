import { useRef } from "react";
import { Link } from "react-router";
import { siteApi } from "../api/client";
import { count } from "../ui/figures";
import { MenuButton } from "../ui/MenuButton";
import { ProblemNote } from "../ui/ProblemNote";
import { useReadViews } from "./useMargins";

/** What goes out of the margins, and page views that come in. */
export function Reports({ query }: { query: string }) {
  const input = useRef<HTMLInputElement>(null);
  const read = useReadViews();
  const items = [
    {
      key: "print",
      label: (
        <a href={`${siteApi}/margins/report.html?${query}`} target="_blank" rel="noreferrer">
          Report to print
        </a>
      ),
    },
    {
      key: "csv",
      label: (
        <a href={`${siteApi}/margins/pages.csv?${query}`} download>
          Table as CSV
        </a>
      ),
    },
    { key: "har", label: <Link to="/margins/har">Weigh HAR files…</Link> },
    { key: "views", label: "Import page views…", onClick: () => input.current?.click() },
  ];
  return (
    <>
      <input
        ref={input}
        type="file"
        hidden
        accept=".csv,.tsv,.txt"
        aria-label="Table of page views: columns page and views"
        onChange={({ target }) => {
          const file = target.files?.[0];
          if (file) read.mutate(file);
          target.value = "";
        }}
      />
      {read.data && (
        <span role="status" title={read.data.unmatched.join("\n")}>
          {count(read.data.pages, "page")} read
          {read.data.unmatched.length > 0 && `, ${count(read.data.unmatched.length, "row")} of no page`}
        </span>
      )}
      {read.error && <ProblemNote error={read.error} />}
      <MenuButton items={items} loading={read.isPending}>
        Report…
      </MenuButton>
    </>
  );
}
