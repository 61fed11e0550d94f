import type { Histogram } from "../../api/client";

interface Props {
  before: Histogram | null | undefined;
  after: Histogram | null | undefined;
}

/** How shades are spread: as they are now, and as an outline how they were before tone and colour. */
export function Histograms({ before, after }: Props) {
  if (!after) return null;
  return (
    <div className="histograms">
      <Spread name="Luminance" before={before?.luma} after={after.luma} />
      <div className="histogram-trio">
        <Spread name="R" before={before?.red} after={after.red} />
        <Spread name="G" before={before?.green} after={after.green} />
        <Spread name="B" before={before?.blue} after={after.blue} />
      </div>
      <table className="before-after">
        <thead>
          <tr>
            <th scope="col">
              <span className="unseen">Figure</span>
            </th>
            <th scope="col">before</th>
            <th scope="col">after</th>
          </tr>
        </thead>
        <tbody>
          {(
            [
              ["mean", "mean shade"],
              ["black", "clipped blacks"],
              ["white", "clipped whites"],
              ["colourfulness", "colourfulness"],
            ] as const
          ).map(([key, words]) => (
            <tr key={key}>
              <th scope="row">{words}</th>
              <td className="figure">{before ? before[key].toFixed(1) : "–"} %</td>
              <td className="figure">{after[key].toFixed(1)} %</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

const WIDTH = 128;
const HEIGHT = 34;

function Spread({ name, before, after }: { name: string; before: number[] | undefined; after: number[] }) {
  const step = WIDTH / after.length;
  // Roots, so that what is seldom is seen beside what is frequent.
  const y = (share: number) => HEIGHT - HEIGHT * Math.sqrt(share);
  const outline = before
    ?.map((share, n) => `${n === 0 ? "M" : "L"}${n * step},${y(share)} L${(n + 1) * step},${y(share)}`)
    .join(" ");
  return (
    <figure className="spread">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        role="img"
        aria-label={`${name}, from black to white`}
      >
        {after.map((share, n) => (
          <rect key={n} x={n * step} y={y(share)} width={step} height={HEIGHT - y(share)} fill="var(--ink-soft)" />
        ))}
        {outline && (
          <path d={outline} fill="none" stroke="var(--accent)" strokeWidth="1" vectorEffect="non-scaling-stroke" />
        )}
      </svg>
      <figcaption>{name}</figcaption>
    </figure>
  );
}
