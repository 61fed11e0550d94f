import { useEffect, useState, useSyncExternalStore } from "react";

export interface RoomSize {
  width: number;
  height: number;
}

type Attach = (element: HTMLElement | null) => void;

/** The size of an element that is given to `attach`, in whole CSS px; nothing before it is there. */
export function useSize(): [attach: Attach, size: RoomSize] {
  const [element, attach] = useState<HTMLElement | null>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  useEffect(() => {
    if (!element) return;
    const observer = new ResizeObserver(() => {
      setSize({ width: element.clientWidth, height: element.clientHeight });
    });
    observer.observe(element);
    return () => {
      observer.disconnect();
    };
  }, [element]);
  return [attach, size];
}

/** The width of an element that is given to `attach`, in CSS px; 0 before it is there. */
export function useWidth(): [attach: Attach, width: number] {
  const [attach, { width }] = useSize();
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
