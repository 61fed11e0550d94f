import {
  useEffect,
  useEffectEvent,
  useLayoutEffect,
  useRef,
  useState,
  type PointerEvent,
  type WheelEvent,
} from "react";
import { isTyping } from "../ui/useKey";

export type Zoom = "fit" | "100" | "200" | "device";

/** Where a picture lies in its room: how large it is shown, and how far it was panned. */
export function useStage(width: number, height: number) {
  // Held as state: the room may come later than the stage.
  const [room, setRoom] = useState<HTMLDivElement | null>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const [zoom, setZoomTo] = useState<Zoom>("fit");
  const [shift, setShift] = useState({ x: 0, y: 0 });
  const [spaceHeld, setSpaceHeld] = useState(false);
  const grip = useRef<{ x: number; y: number; from: { x: number; y: number } }>(undefined);

  useLayoutEffect(() => {
    if (!room) return;
    const measure = () => {
      setSize({ width: room.clientWidth, height: room.clientHeight });
    };
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(room);
    return () => {
      observer.disconnect();
    };
  }, [room]);
  const onSpace = useEffectEvent((event: KeyboardEvent) => {
    if (event.key !== " " || isTyping(event.target) || event.target instanceof HTMLButtonElement) return;
    event.preventDefault();
    setSpaceHeld(event.type === "keydown");
  });
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      onSpace(event);
    };
    addEventListener("keydown", listen);
    addEventListener("keyup", listen);
    return () => {
      removeEventListener("keydown", listen);
      removeEventListener("keyup", listen);
    };
  }, []);

  const margin = 14;
  const fit = Math.max(0.001, Math.min((size.width - 2 * margin) / width, (size.height - 2 * margin) / height));
  const scale = { fit, "100": 1, "200": 2, device: 1 / devicePixelRatio }[zoom];
  const place = {
    left: Math.round((size.width - width * scale) / 2 + shift.x),
    top: Math.round((size.height - height * scale) / 2 + shift.y),
    width: width * scale,
    height: height * scale,
  };
  const setZoom = (next: Zoom) => {
    setZoomTo(next);
    setShift({ x: 0, y: 0 });
  };
  return {
    attach: setRoom,
    zoom,
    setZoom,
    scale,
    place,
    panning: spaceHeld,
    /** Handlers for the room: Space and a drag, the middle button, or the wheel pan. */
    handlers: {
      onPointerDown: (event: PointerEvent<HTMLDivElement>) => {
        if (event.button !== 1 && !spaceHeld) return;
        event.preventDefault();
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
        grip.current = { x: event.clientX, y: event.clientY, from: shift };
      },
      onPointerMove: (event: PointerEvent<HTMLDivElement>) => {
        const held = grip.current;
        if (held) setShift({ x: held.from.x + event.clientX - held.x, y: held.from.y + event.clientY - held.y });
      },
      onPointerUp: () => {
        grip.current = undefined;
      },
      onWheel: (event: WheelEvent) => {
        if (zoom !== "fit") setShift(({ x, y }) => ({ x: x - event.deltaX, y: y - event.deltaY }));
      },
    },
  };
}

export type Stage = ReturnType<typeof useStage>;
