import type { PageComing } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { DoneTable } from "../ui/DoneTable";
import { moment } from "../ui/figures";
import { growthWords } from "./words";

/** What a page weighed each time that it changed, the newest first. */
export function PastWeights({ history }: { history: PageComing["history"] }) {
  return (
    <section aria-label="Before">
      <h2>Before</h2>
      <DoneTable
        columns={[
          "Measured",
          { figures: "Until loaded" },
          { figures: "Of that, pictures" },
          { figures: "Lazy" },
          "What grew",
        ]}
      >
        {history.map(({ measured_at: at, weight, grown }) => (
          <tr key={at}>
            <td>
              <time dateTime={at}>{moment(at)}</time>
            </td>
            {[weight.total, weight.picture, weight.lazy].map((size, n) => (
              <td key={n} className="right">
                <Bytes of={size} />
              </td>
            ))}
            <td>
              <bdi>{grown.map(growthWords).join("; ")}</bdi>
            </td>
          </tr>
        ))}
      </DoneTable>
    </section>
  );
}
