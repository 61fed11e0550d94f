import { Input, type InputRef } from "antd";
import { useEffect, useRef, useState, type Ref } from "react";
import { useHref, useLocation, useNavigate } from "react-router";
import { lastAddress } from "../ui/lastAddress";
import { changed } from "../ui/useAddress";

/** What typing waits for until the library is searched, in milliseconds. */
const PAUSE = 250;
const LIST = "/library";

/** Searches the library from anywhere; what is searched for stands in the library's address. */
export function SearchField({ ref }: { ref: Ref<InputRef> }) {
  const navigate = useNavigate();
  const { pathname, search } = useLocation();
  const here = useHref(pathname);
  const isList = pathname === LIST;
  const standing = isList ? (new URLSearchParams(search).get("q") ?? "") : "";
  const [typed, setTyped] = useState<string>();
  const waiting = useRef<ReturnType<typeof setTimeout>>(undefined);
  useEffect(
    () => () => {
      clearTimeout(waiting.current);
    },
    [],
  );
  // What is typed stays in sight until the address has it: the address follows a moment later, and
  // a letter that is typed in that moment goes on from what was typed before.
  if (typed !== undefined && typed === standing) setTyped(undefined);
  const go = (words: string) => {
    clearTimeout(waiting.current);
    const [, query = ""] = (isList ? LIST + window.location.search : lastAddress(LIST)).split("?");
    void navigate({ pathname: LIST, search: changed(query, { q: words, at: undefined }) }, { replace: isList });
  };
  return (
    <Input
      ref={ref}
      aria-label="Search the library"
      placeholder="Search names and texts ( / )"
      allowClear
      value={typed ?? standing}
      className="search-field"
      onChange={({ target }) => {
        setTyped(target.value);
        clearTimeout(waiting.current);
        waiting.current = setTimeout(() => {
          // Who goes elsewhere meanwhile does not search any more.
          if (window.location.pathname === here) go(target.value);
        }, PAUSE);
      }}
      onPressEnter={({ currentTarget }) => {
        go(currentTarget.value);
      }}
    />
  );
}
