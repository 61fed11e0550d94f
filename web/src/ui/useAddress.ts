import { useHref, useLocation, useNavigate, useSearchParams } from "react-router";

export type AddressChange = Record<string, string | number | boolean | string[] | null | undefined>;

/**
 * What of a view stands in its address, so that going back, a reload and a link lead to the same.
 *
 * A change takes the place of the address that was, unless it is one to go back from.
 */
export function useAddress(): [URLSearchParams, (change: AddressChange, how?: "back" | "replace") => void] {
  const [address] = useSearchParams();
  const navigate = useNavigate();
  const location = useLocation();
  const here = useHref(location.pathname);
  const change = (changes: AddressChange, how: "back" | "replace" = "replace") => {
    // A view that was left stays in sight until the next one has come, and changes nothing any more.
    if (window.location.pathname !== here) return;
    // What was changed a moment ago is in the address before it is in the state.
    const search = changed(window.location.search, changes);
    void navigate({ search }, { replace: how === "replace", state: location.state as unknown });
  };
  return [address, change];
}

/** A query with some of its values changed; those that say nothing are left out. */
export function changed(query: string, changes: AddressChange): string {
  const next = new URLSearchParams(query);
  for (const [name, value] of Object.entries(changes)) {
    next.delete(name);
    if (Array.isArray(value)) for (const one of value) next.append(name, one);
    else if (value !== undefined && value !== null && value !== "" && value !== false)
      next.set(name, value === true ? "yes" : String(value));
  }
  return next.toString();
}
