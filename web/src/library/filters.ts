/** Filters as values that can be compared. */
import type { FilterBody } from "../api/client";

/** Without what says nothing, so that two filters can be compared. */
export function normal({ search, issues, format, folder, collection, removed }: FilterBody): FilterBody {
  return {
    ...(search && { search }),
    ...(issues && issues.length > 0 && { issues: [...issues].sort() }),
    ...(format && { format }),
    ...(folder && { folder }),
    ...(collection && { collection }),
    ...(removed && { removed }),
  };
}

export const sameFilter = (one: FilterBody, other: FilterBody) =>
  JSON.stringify(normal(one)) === JSON.stringify(normal(other));
