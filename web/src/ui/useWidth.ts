import { useEffect, useState, useSyncExternalStore } from "react";

/** The width of an element that is given to `attach`, in CSS px; 0 before it is there. */
export function useWidth(): [attach: (element: HTMLElement | null) => void, width: number] {
  const [element, attach] = useState<HTMLElement | null>(null);
  const [width, setWidth] = useState(0);
  useEffect(() => {
    if (!element) return;
    const observer = new ResizeObserver(() => {
      setWidth(element.clientWidth);
    });
    observer.observe(element);
    return () => {
      observer.disconnect();
    };
  }, [element]);
  return [attach, width];
}

/** Whether the window is at least `width` CSS px wide. */
export function useWindowAtLeast(width: number) {
  const query = `(min-width: ${width}px)`;
  return useSyncExternalStore(
    (tell) => {
      const list = matchMedia(query);
      list.addEventListener("change", tell);
      return () => {
        list.removeEventListener("change", tell);
      };
    },
    () => matchMedia(query).matches,
  );
}
