import { useEffect } from "react";
import { useLocation } from "react-router";
import { changed } from "./useAddress";

/** Where each view was left, so that coming back to it leads there. */
const left = new Map<string, string>();

/** The view at `path` with what was chosen in it last. */
export const lastAddress = (path: string) => left.get(path) ?? path;

/** Notes where the views at `paths` are left. */
export function useLastAddress(paths: readonly string[]) {
  const { pathname, search } = useLocation();
  useEffect(() => {
    if (!paths.includes(pathname)) return;
    // A sheet that lay over it is not come back to.
    const query = changed(search, { sheet: undefined });
    left.set(pathname, query ? `${pathname}?${query}` : pathname);
  }, [paths, pathname, search]);
}
