import { Link, NavLink } from "react-router";
import type { FilterBody } from "../api/client";
import { changed } from "../ui/useAddress";
import { useParts, type Part } from "./useParts";
import { writtenFilter } from "./useListAddress";

/** Parts of the library: all of it, what looks the same, saved filters, collections, folders, what was removed. */
export function SideList({ filter }: { filter: FilterBody }) {
  const { groups, here } = useParts(filter);
  return (
    <nav className="side-list" aria-label="Parts of the library">
      {groups.map(({ name, parts }) => (
        <div key={name ?? ""}>
          {name !== undefined && <h2>{name}</h2>}
          <ul>
            {parts.map((part) => (
              <PartLink key={part.key} part={part} here={part.key === here.key} />
            ))}
            {name === undefined && (
              <>
                <li>
                  <NavLink to="/library/alike">Look-alikes</NavLink>
                </li>
                <li>
                  <NavLink to="/library/changes">Changes</NavLink>
                </li>
              </>
            )}
          </ul>
        </div>
      ))}
    </nav>
  );
}

function PartLink({ part: { words, filter, pictures }, here }: { part: Part; here: boolean }) {
  return (
    <li>
      <Link
        to={`/library?${changed("", writtenFilter(filter))}`}
        aria-current={here ? "page" : undefined}
        title={words}
      >
        <bdi>{words}</bdi>
        {pictures !== undefined && <span className="figure">{pictures.toLocaleString("en")}</span>}
      </Link>
    </li>
  );
}
