import { useEffect } from "react";

/** Names the page in the browser's tab and history: what is shown, then the site. */
export function useTitle(...parts: (string | undefined)[]) {
  const title = [...parts, "Brisk Margin"].filter(Boolean).join(" · ");
  useEffect(() => {
    document.title = title;
  }, [title]);
}
