import { useEffect, useState, type DragEvent, type ReactNode } from "react";
import { droppedFiles } from "./dropped";
import { useBringIn } from "./useArrivals";
import "./library.css";

const hasFiles = (event: { dataTransfer: DataTransfer | null }) => event.dataTransfer?.types.includes("Files") ?? false;

/** Takes files that are dropped anywhere. */
export function DropZone({ onDrop, children }: { onDrop: () => void; children: ReactNode }) {
  const bringIn = useBringIn();
  const [over, setOver] = useState(false);
  useEffect(() => {
    // A file dropped beside the zone must not replace the page.
    const hold = (event: globalThis.DragEvent) => {
      if (hasFiles(event)) event.preventDefault();
    };
    addEventListener("dragover", hold);
    addEventListener("drop", hold);
    return () => {
      removeEventListener("dragover", hold);
      removeEventListener("drop", hold);
    };
  }, []);
  const leave = (event: DragEvent) => {
    if (!event.currentTarget.contains(event.relatedTarget as Node | null)) setOver(false);
  };
  return (
    <div
      className="drop-zone"
      role="presentation"
      onDragEnter={(event) => {
        setOver(hasFiles(event));
      }}
      onDragOver={(event) => {
        if (hasFiles(event)) event.preventDefault();
      }}
      onDragLeave={leave}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        if (event.dataTransfer.items.length === 0) return;
        void droppedFiles(event.dataTransfer).then((files) => {
          if (files.length === 0) return;
          bringIn(files);
          onDrop();
        });
      }}
    >
      {children}
      {over && <div className="drop-hint">Let go to bring the pictures in</div>}
    </div>
  );
}
