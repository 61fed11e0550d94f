import type { ReactNode } from "react";
import { Link, NavLink } from "react-router";
import type { FilterBody } from "../api/client";
import { changed } from "../ui/useAddress";
import { normal, sameFilter } from "./filters";
import { useShelves } from "./useLibrary";
import { writtenFilter } from "./useListAddress";

/** Parts of the library: all of it, what looks the same, saved filters, collections, folders, what was removed. */
export function SideList({ filter }: { filter: FilterBody }) {
  const shelves = useShelves();
  const { folders = [], collections = [], filters = [], removed = 0 } = shelves.data ?? {};
  const saved = filters.find((one) => sameFilter(one.filter, filter));
  const part = (of: FilterBody, words: string, pictures?: number, key?: string) => (
    <Part
      key={key ?? words}
      to={`/library?${changed("", writtenFilter(of))}`}
      here={key ? key === saved?.id : !saved && sameFilter(shelfOf(filter), shelfOf(of))}
      pictures={pictures}
    >
      {words}
    </Part>
  );
  return (
    <nav className="side-list" aria-label="Parts of the library">
      <ul>
        {part({}, "All pictures")}
        <li>
          <NavLink to="/library/alike">Look-alikes</NavLink>
        </li>
        <li>
          <NavLink to="/library/changes">Changes</NavLink>
        </li>
        {part({ removed: true }, "Removed", removed)}
      </ul>
      <Group name="Saved filters">{filters.map((one) => part(normal(one.filter), one.name, undefined, one.id))}</Group>
      <Group name="Collections">
        {collections.map(({ id, name, pictures }) => part({ collection: id }, name, pictures))}
      </Group>
      <Group name="Folders">{folders.map(({ path, pictures }) => part({ folder: path }, path, pictures))}</Group>
    </nav>
  );
}

/** The part of the library that a filter is in, whatever else it asks for. */
const shelfOf = ({ folder, collection, removed }: FilterBody): FilterBody =>
  normal({ ...(folder && { folder }), ...(collection && { collection }), ...(removed && { removed }) });

function Group({ name, children }: { name: string; children: ReactNode[] }) {
  if (children.length === 0) return null;
  return (
    <>
      <h2>{name}</h2>
      <ul>{children}</ul>
    </>
  );
}

interface PartProps {
  to: string;
  here: boolean;
  pictures: number | undefined;
  children: string;
}

function Part({ to, here, pictures, children }: PartProps) {
  return (
    <li>
      <Link to={to} aria-current={here ? "page" : undefined} title={children}>
        <bdi>{children}</bdi>
        {pictures !== undefined && <span className="figure">{pictures.toLocaleString("en")}</span>}
      </Link>
    </li>
  );
}
