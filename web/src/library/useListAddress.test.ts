import { expect, test } from "vitest";
import { changed } from "../ui/useAddress";
import { readList, writtenFilter } from "./useListAddress";

const read = (query: string) => readList(new URLSearchParams(query));

test("a filter that was written into an address is read from it again", () => {
  const filter = { issues: ["no-alt" as const, "too-large" as const], folder: "walks/2026", search: "red & blue" };
  const list = read(changed("", writtenFilter(filter)));
  expect(list.filter).toEqual(filter);
  expect(list.own).toEqual({ issues: filter.issues, folder: filter.folder });
});

test("without anything it is the whole library, the newest first; a collection has its own order", () => {
  expect(read("")).toMatchObject({ own: {}, order: { sort: "arrival", descending: true }, view: "rows" });
  expect(read("collection=c1").order).toEqual({ sort: "collection", descending: false });
  expect(read("sort=bytes&down=yes").order).toEqual({ sort: "bytes", descending: true });
  expect(read("view=upside-down").view).toBe("rows");
});

test("another filter keeps what else stands in the address", () => {
  const next = changed("view=pictures&issue=no-alt&q=dome", writtenFilter({ removed: true }));
  expect(read(next)).toMatchObject({ own: { removed: true }, search: "dome", view: "pictures" });
});
