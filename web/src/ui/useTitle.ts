import { useEffect } from "react";
import { useSite } from "../api/useSite";

/** Names the page in the browser's tab and history: what is shown, then the site. */
export function useTitle(...parts: (string | undefined)[]) {
  const site = useSite().data?.name;
  const title = [...parts, site, "Brisk Margin"].filter(Boolean).join(" · ");
  useEffect(() => {
    document.title = title;
  }, [title]);
}
