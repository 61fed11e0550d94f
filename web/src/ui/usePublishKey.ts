import { useRef } from "react";
import { useNavigate } from "react-router";
import { useKey } from "./useKey";

/** P leads to what `to` would change on the site; behind G it goes to all that was published, as everywhere. */
export function usePublishKey(to: string) {
  const navigate = useNavigate();
  const before = useRef("");
  useKey((event) => {
    const last = before.current;
    before.current = event.key;
    if (event.key === "p" && last !== "g") void navigate(to);
  });
}
