import { bytes, exactBytes } from "./figures";

/** A weight with three figures; the exact number on demand. */
export function Bytes({ of }: { of: number }) {
  return (
    <span className="figure" title={exactBytes(of)}>
      {bytes(of)}
    </span>
  );
}
