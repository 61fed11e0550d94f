import type { Fitting, Picture } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { cutWords } from "./cutWords";
import { percent, pixels } from "../ui/figures";

/** What will be cut and scaled, in numbers, and what is lacking, in words. */
export function FittingFacts({ fitting, picture }: { fitting: Fitting; picture: Picture }) {
  const { crop, cuts, needed, output } = fitting;
  return (
    <>
      {fitting.short && (
        <div className="notice" role="status" data-testid="shortfall">
          <b>Too small:</b>
          <span>
            the slot asks for <span className="figure">{pixels(needed.width, needed.height)}</span>, and the picture has{" "}
            <span className="figure">{pixels(crop.width, crop.height)}</span> for it,{" "}
            <span className="figure">{fitting.shortfall.toFixed(2)}×</span> too few.{" "}
            {fitting.refusal
              ? "An exact slot is not filled with less: choose cover, or bring a larger picture."
              : "It is not enlarged: the file gets the pixels there are."}
          </span>
        </div>
      )}
      <dl className="facts" data-testid="facts">
        <dt>File</dt>
        <dd className="figure" data-testid="output">
          {fitting.refusal
            ? "none"
            : `${pixels(output.width, output.height)}, scaled to ${percent(100 * fitting.scale)}`}
        </dd>
        <dt>Shows</dt>
        <dd className="figure">
          {pixels(crop.width, crop.height)} of {pixels(picture.width, picture.height)} ({percent(fitting.kept_percent)})
        </dd>
        <dt>Cut</dt>
        <dd className="figure" data-testid="cuts">
          {cutWords(cuts)}
        </dd>
        <dt>Budget</dt>
        <dd>
          <Bytes of={fitting.budget} />
        </dd>
      </dl>
    </>
  );
}
