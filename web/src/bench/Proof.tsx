import { Segmented } from "antd";
import { useState } from "react";
import { fileUrl, referenceUrl, type Variant } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { formatName, percent, pixels } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { useKey } from "../ui/useKey";
import { TrueSize, type Offset } from "./TrueSize";
import { useBitmap } from "./useBitmap";

type Arrangement = "beside" | "in place";
type Surround = "dark" | "mid" | "light";

/** Original and result at true size, beside each other or in each other's place. */
export function Proof({ variant }: { variant: Variant }) {
  const [arrangement, setArrangement] = useState<Arrangement>("beside");
  const [zoom, setZoom] = useState(1);
  const [surround, setSurround] = useState<Surround>("mid");
  const [offset, setOffset] = useState<Offset>({ x: 0, y: 0 });
  const [held, setHeld] = useState(false);
  const result = useBitmap(fileUrl(variant.id));
  const original = useBitmap(referenceUrl(variant.id));

  useKey((event) => {
    if (event.key === "o") setHeld(true);
    if (event.key === "z") setZoom((now) => (now === 1 ? 2 : 1));
  });
  useKey((event) => {
    if (event.key === "o") setHeld(false);
  }, "keyup");

  const error = result.error ?? original.error;
  const shared = { zoom, offset, onPan: setOffset };
  const showsOriginal = arrangement === "in place" && held;
  const encoding = `${formatName[variant.format]}${variant.quality ? ` ${variant.quality}` : ""}`;
  return (
    <section className="proof" aria-label="Proof">
      <div className="bar">
        <Segmented
          aria-label="Arrangement"
          value={arrangement}
          onChange={setArrangement}
          options={[
            { value: "beside", label: "side by side" },
            { value: "in place", label: "in place" },
          ]}
        />
        <Segmented
          aria-label="Scale"
          value={zoom}
          onChange={setZoom}
          options={[
            { value: 1, label: "1:1" },
            { value: 2, label: "2:1" },
          ]}
        />
        <Segmented aria-label="Surround" value={surround} onChange={setSurround} options={["dark", "mid", "light"]} />
        <span className="proof-figures" data-testid="saving">
          <Bytes of={variant.saving.before} /> →{" "}
          <b>
            <Bytes of={variant.saving.after} />
          </b>
          , saved <Bytes of={variant.saving.saved} />{" "}
          <span className="figure">({percent(variant.saving.percent)})</span>
        </span>
      </div>
      {error && <ProblemNote error={error} />}
      <div className="proof-views" data-surround={surround}>
        {arrangement === "beside" && (
          <figure>
            <TrueSize {...shared} image={original.data} label="Original at true size" testId="proof-original" />
            <figcaption>Original pixels, cropped and scaled</figcaption>
          </figure>
        )}
        <figure>
          <TrueSize
            {...shared}
            image={showsOriginal ? original.data : result.data}
            label={showsOriginal ? "Original at true size" : "Result at true size"}
            testId="proof-result"
          />
          <figcaption>
            {showsOriginal ? (
              "Original pixels"
            ) : (
              <>
                {encoding} · <span className="figure">{pixels(variant.width, variant.height)}</span>
              </>
            )}
            {arrangement === "in place" && (
              <span className="soft">
                {" "}
                · hold <kbd>O</kbd> for the original
              </span>
            )}
          </figcaption>
        </figure>
      </div>
    </section>
  );
}
