import type { ReactNode } from "react";
import type { IssueKind, Picture, SortBy } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { bytes, formatName, pixels } from "../ui/figures";
import { altIssues } from "./issues";

export interface Column {
  key: string;
  head: string;
  sort?: SortBy;
  /** Whether the largest stands first when it is sorted by for the first time. */
  most?: boolean;
  right?: boolean;
  /** Left out where the window is narrow, or where it is not very wide. */
  wide?: "wide" | "widest";
  /** `common` are issues that every row in view has. */
  cell: (picture: Picture, common: ReadonlySet<IssueKind>) => ReactNode;
}

export const COLUMNS: Column[] = [
  {
    key: "name",
    head: "Name",
    sort: "name",
    cell: (picture) => (
      <span className="name" title={picture.name}>
        <bdi>{picture.name}</bdi>
        {picture.description.title && <span className="soft"> {picture.description.title}</span>}
      </span>
    ),
  },
  {
    key: "pixels",
    head: "Pixels",
    sort: "pixels",
    most: true,
    right: true,
    cell: ({ width, height }) => <span className="figure">{pixels(width, height)}</span>,
  },
  { key: "format", head: "Format", sort: "format", cell: ({ format }) => formatName[format] },
  {
    key: "bytes",
    head: "Original",
    sort: "bytes",
    most: true,
    right: true,
    cell: (picture) => <Bytes of={picture.bytes} />,
  },
  {
    key: "uses",
    head: "Uses",
    sort: "uses",
    most: true,
    right: true,
    cell: ({ uses }) => <span className="figure">{uses === 0 ? "–" : uses}</span>,
  },
  {
    key: "state",
    head: "Issues",
    sort: "state",
    most: true,
    cell: (picture, common) => <State picture={picture} common={common} />,
  },
  {
    key: "saving",
    head: "Could save",
    sort: "saving",
    most: true,
    right: true,
    cell: (picture) => <Saving picture={picture} />,
  },
  { key: "alt", head: "Alt text", sort: "alt", wide: "wide", cell: (picture) => <Alt picture={picture} /> },
  {
    key: "credit",
    head: "Credit",
    sort: "creator",
    wide: "widest",
    cell: ({ description }) => <Text of={description.creator} none="none" />,
  },
];

/** The most serious that the other rows do not all have, and how many more. */
function State({ picture, common }: { picture: Picture; common: ReadonlySet<IssueKind> }) {
  const first = picture.issues.find(({ kind }) => !common.has(kind)) ?? picture.issues[0];
  const others = picture.issues.length - 1;
  if (!picture.analysis && !picture.analysis_failed) return <span className="soft">being analysed…</span>;
  if (!first) return <span>nothing</span>;
  const all = picture.issues.map(({ words }) => words).join(" · ");
  return (
    <span className="name" title={all}>
      {first.words}
      {others > 0 && <span className="soft"> +{others}</span>}
    </span>
  );
}

function Saving({ picture: { possible, saving, today } }: { picture: Picture }) {
  if (!possible || saving == null) return <span className="soft">–</span>;
  const range = `today ${bytes(today)}, possible ${bytes(possible.low)} to ${bytes(possible.high)}`;
  return saving === 0 ? (
    <span className="soft" title={range}>
      already small
    </span>
  ) : (
    <span className="figure" title={range}>
      ~{bytes(saving)}
    </span>
  );
}

function Alt({ picture }: { picture: Picture }) {
  const { description } = picture;
  const [issue] = altIssues(picture);
  if (description.decorative && !issue) return <span className="soft">decorative</span>;
  if (issue?.kind === "no-alt") return <span className="soft">none</span>;
  return (
    <span className="name" title={issue ? `${description.alt} – ${issue.words}` : description.alt}>
      {issue && <b>! </b>}
      <bdi>{description.alt}</bdi>
    </span>
  );
}

function Text({ of, none }: { of: string; none: string }) {
  return of ? (
    <span className="name" title={of}>
      <bdi>{of}</bdi>
    </span>
  ) : (
    <span className="soft">{none}</span>
  );
}
