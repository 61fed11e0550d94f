import { useLayoutEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from "react";
import { previewUrl, type Fitting, type FocalPoint, type Picture } from "../api/client";

interface Props {
  picture: Picture;
  fitting: Fitting | undefined;
  focal: FocalPoint;
  /** While the point is dragged. */
  onMove: (focal: FocalPoint) => void;
  /** Once it is let go. */
  onSettle: (focal: FocalPoint) => void;
}

/** Four decimals are finer than a pixel of any picture that is taken. */
const within = (value: number) => Math.round(1e4 * Math.max(0, Math.min(1, value))) / 1e4;

/** The whole picture with the slot's frame on it, and the focal point to be moved. */
export function FrameView({ picture, fitting, focal, onMove, onSettle }: Props) {
  const room = useRef<HTMLDivElement>(null);
  const plate = useRef<HTMLDivElement>(null);
  const size = useFitted(room, picture.width / picture.height);
  const [dragging, setDragging] = useState(false);

  const pointAt = ({ clientX, clientY }: PointerEvent): FocalPoint => {
    const box = plate.current?.getBoundingClientRect();
    if (!box) return focal;
    return { x: within((clientX - box.left) / box.width), y: within((clientY - box.top) / box.height) };
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const far = event.shiftKey ? 0.1 : 0.01;
    const moves: Record<string, [number, number]> = {
      ArrowLeft: [-far, 0], ArrowRight: [far, 0], ArrowUp: [0, -far], ArrowDown: [0, far],
    };
    const move = moves[event.key];
    if (!move) return;
    event.preventDefault();
    const next = { x: within(focal.x + move[0]), y: within(focal.y + move[1]) };
    onMove(next);
    onSettle(next);
  };

  const crop = fitting?.crop;
  const frame = crop && {
    left: `${(100 * crop.x) / picture.width}%`,
    top: `${(100 * crop.y) / picture.height}%`,
    width: `${(100 * crop.width) / picture.width}%`,
    height: `${(100 * crop.height) / picture.height}%`,
  };
  return (
    <div className="frame-room" ref={room}>
      {/* The handle inside takes the keyboard. */}
      <div
        ref={plate}
        className="plate"
        role="presentation"
        style={size}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          setDragging(true);
          onMove(pointAt(event));
        }}
        onPointerMove={(event) => { if (dragging) onMove(pointAt(event)); }}
        onPointerUp={(event) => {
          setDragging(false);
          onSettle(pointAt(event));
        }}
      >
        <img src={previewUrl(picture.id, "bench")} alt={`The whole of ${picture.name}`} draggable={false} />
        {frame && <div className="frame-line" style={frame} data-testid="frame" />}
        <button
          type="button"
          className="focal"
          style={{ left: `${100 * focal.x}%`, top: `${100 * focal.y}%` }}
          aria-label={`Focal point, ${Math.round(100 * focal.x)} % from the left, ${Math.round(100 * focal.y)} % from the top; arrow keys move it`}
          onKeyDown={onKeyDown}
        />
      </div>
    </div>
  );
}

/** The largest size of that shape which fits into an element. */
function useFitted(room: React.RefObject<HTMLDivElement | null>, aspect: number) {
  const [size, setSize] = useState({ width: 0, height: 0 });
  useLayoutEffect(() => {
    const element = room.current;
    if (!element) return;
    const measure = () => {
      const { clientWidth, clientHeight } = element;
      const width = Math.min(clientWidth, clientHeight * aspect);
      setSize({ width, height: width / aspect });
    };
    measure();
    const observer = new ResizeObserver(measure);
    observer.observe(element);
    return () => { observer.disconnect(); };
  }, [room, aspect]);
  return size;
}
