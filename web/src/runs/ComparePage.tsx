import { Link, useParams } from "react-router";
import { Bytes } from "../ui/Bytes";
import { count, moment } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { nameOf } from "../ui/runWords";
import { Tally } from "../ui/Tally";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import "../ui/tables.css";
import "./runs.css";
import { useComparison, useRun } from "./useRuns";

/** Two runs side by side: the sets that both made. */
export function ComparePage() {
  const { id = "", other = "" } = useParams();
  const runs = [useRun(id), useRun(other)] as const;
  const comparison = useComparison(id, other);
  useTitle("Two runs compared", "Runs");
  const error = runs[0].error ?? runs[1].error ?? comparison.error;
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <h1>Two runs compared</h1>
            <span className="soft">
              {comparison.data && `${count(comparison.data.sets, "set")} that both made, the largest difference first`}
            </span>
            <span className="gap" />
            <Link to={`/runs/${id}`}>Back to the run</Link>
          </div>
          {error && <ProblemNote error={error} again={() => void comparison.refetch()} />}
          {comparison.isPending && <WaitingRows rows={8} />}
          {comparison.data?.sets === 0 && (
            <div className="empty">
              <h2>They have nothing in common</h2>
              <span className="soft">Neither made the files of a picture in a slot that the other one made, too.</span>
            </div>
          )}
          {comparison.data && comparison.data.sets > 0 && (
            <div className="done-rows">
              <table className="done-table">
                <thead>
                  <tr>
                    <th scope="col">Picture</th>
                    <th scope="col">Slot</th>
                    {runs.map(({ data }, n) => (
                      <th scope="col" className="right" key={n} colSpan={2}>
                        {data && (
                          <Link to={`/runs/${data.id}`}>
                            <bdi>{nameOf(data)}</bdi>, <span className="figure">{moment(data.created_at)}</span>
                          </Link>
                        )}
                      </th>
                    ))}
                  </tr>
                </thead>
                <tbody>
                  <tr className="run-sum">
                    <th scope="row" colSpan={2}>
                      Together
                    </th>
                    <Side bytes={comparison.data.bytes[0]} score={comparison.data.score[0]} words="on average" />
                    <Side bytes={comparison.data.bytes[1]} score={comparison.data.score[1]} words="on average" />
                  </tr>
                  {comparison.data.rows.map((row) => (
                    <tr key={`${row.picture} ${row.slot}`}>
                      <td>
                        <Link to={`/bench/${row.picture}?step=encode&for=${row.slot}`}>
                          <bdi>{row.name}</bdi>
                        </Link>
                      </td>
                      <td>
                        <bdi>{row.slot_name}</bdi>
                      </td>
                      <Side bytes={row.bytes[0]} score={row.score[0]} />
                      <Side bytes={row.bytes[1]} score={row.score[1]} />
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          )}
        </main>
      </div>
      <Tally of={{ filter: {} }} where="in the library" />
    </>
  );
}

interface SideProps {
  bytes: number | undefined;
  score: number | null | undefined;
  words?: string;
}

function Side({ bytes, score, words }: SideProps) {
  return (
    <>
      <td className="right">{bytes !== undefined && <Bytes of={bytes} />}</td>
      <td className="right figure">
        {score?.toFixed(1)}
        {score != null && words && <span className="soft"> {words}</span>}
      </td>
    </>
  );
}
