import { useEffect, useEffectEvent, useRef, useState } from "react";
import { useAddress } from "../ui/useAddress";

/** Screen px per CSS px, at least and at most. */
const LEAST = 0.04;
const MOST = 2;
const STEP = 1.25;
/** What turning waits for until the address tells of it, in milliseconds. */
const SETTLES_AFTER = 250;

/** What the page is drawn at: as `fit` has it until it is typed, stepped, or turned at the wheel with Ctrl held; it stands in the address. */
export function useZoom(fit: number) {
  const [address, change] = useAddress();
  const asked = Number(address.get("zoom"));
  const [now, setNow] = useState<number>();
  const waiting = useRef<ReturnType<typeof setTimeout>>(undefined);
  const within = (scale: number) => Math.min(MOST, Math.max(LEAST, scale));
  const scale = within(now ?? (asked > 0 ? asked / 100 : fit));
  const set = (next: number) => {
    setNow(within(next));
    clearTimeout(waiting.current);
    waiting.current = setTimeout(() => {
      change({ zoom: Number((within(next) * 100).toFixed(1)) });
      setNow(undefined);
    }, SETTLES_AFTER);
  };
  return {
    scale,
    isFitting: now === undefined && !(asked > 0),
    set,
    fit: () => {
      clearTimeout(waiting.current);
      setNow(undefined);
      change({ zoom: undefined });
    },
    closer: () => {
      set(scale * STEP);
    },
    further: () => {
      set(scale / STEP);
    },
  };
}

const scrollers = (area: HTMLElement) => [...area.querySelectorAll<HTMLElement>(".column-scroll")];

/** Lets the pointer pan the area: with the middle button anywhere, or with Space held. Turns of the wheel with Ctrl zoom about the pointer. */
export function usePan(scale: number, onScale: (scale: number) => void) {
  const area = useRef<HTMLDivElement>(null);
  const space = useRef(false);
  const zoom = useEffectEvent((event: WheelEvent) => {
    const at = area.current;
    if (!event.ctrlKey || !at) return;
    event.preventDefault();
    const next = Math.min(MOST, Math.max(LEAST, scale * Math.exp(-event.deltaY / 400)));
    const grown = next / scale;
    const left = event.clientX - at.getBoundingClientRect().left;
    const tops = scrollers(at).map((column) => ({ column, y: event.clientY - column.getBoundingClientRect().top }));
    onScale(next);
    requestAnimationFrame(() => {
      at.scrollLeft = (at.scrollLeft + left) * grown - left;
      for (const { column, y } of tops) column.scrollTop = (column.scrollTop + y) * grown - y;
    });
  });
  useEffect(() => {
    const at = area.current;
    // React's own listeners cannot keep the browser from zooming the page.
    const wheel = (event: WheelEvent) => {
      zoom(event);
    };
    const key = (event: KeyboardEvent) => {
      if (event.key === " ") space.current = event.type === "keydown";
    };
    at?.addEventListener("wheel", wheel, { passive: false });
    addEventListener("keydown", key);
    addEventListener("keyup", key);
    return () => {
      at?.removeEventListener("wheel", wheel);
      removeEventListener("keydown", key);
      removeEventListener("keyup", key);
    };
  }, []);
  const onPointerDown = (event: React.PointerEvent<HTMLDivElement>) => {
    const empty = !(event.target instanceof Element && event.target.closest("button"));
    const at = area.current;
    if (!at || !(event.button === 1 || (event.button === 0 && (space.current || empty)))) return;
    event.preventDefault();
    let { clientX: x, clientY: y } = event;
    const move = (next: PointerEvent) => {
      at.scrollLeft -= next.clientX - x;
      for (const column of scrollers(at)) column.scrollTop -= next.clientY - y;
      ({ clientX: x, clientY: y } = next);
    };
    const end = () => {
      removeEventListener("pointermove", move);
      removeEventListener("pointerup", end);
      removeEventListener("pointercancel", end);
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", end);
    addEventListener("pointercancel", end);
  };
  return { area, onPointerDown };
}
