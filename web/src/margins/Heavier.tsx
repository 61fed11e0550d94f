import { Link } from "react-router";
import type { HeavierPage } from "../api/client";
import { bytes, moment } from "../ui/figures";
import { growthWords } from "./words";

/** Pages that became heavier lately, and by what. */
export function Heavier({ pages, query }: { pages: HeavierPage[]; query: string }) {
  if (pages.length === 0) return null;
  return (
    <>
      <h2>Became heavier</h2>
      <ol>
        {pages.map(({ page, page_name: name, before, weight, grown, measured_at: at }) => (
          <li key={page}>
            <Link to={`/margins/${page}?${query}`}>
              <bdi>{name}</bdi>
            </Link>
            <span className="figure">
              {bytes(before)} → {bytes(weight.total)}
            </span>
            <span className="soft">{moment(at)}</span>
            {grown[0] && (
              <span className="soft" title={grown.map(growthWords).join("\n")}>
                {growthWords(grown[0])}
                {grown.length > 1 && `, and ${grown.length - 1} more`}
              </span>
            )}
          </li>
        ))}
      </ol>
    </>
  );
}
