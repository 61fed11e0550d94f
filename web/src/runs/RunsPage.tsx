import { Link } from "react-router";
import { Bytes } from "../ui/Bytes";
import { DoneTable } from "../ui/DoneTable";
import { useSite } from "../api/useSite";
import { count, moment } from "../ui/figures";
import { timeOf } from "../ui/times";
import { ProblemNote } from "../ui/ProblemNote";
import { Tally } from "../ui/Tally";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import "./runs.css";
import { useRuns } from "./useRuns";
import { nameOf } from "../ui/runWords";
import { standOf } from "./words";

/** When runs start by themselves, and where that is changed. */
function ScheduleWords() {
  const schedule = useSite().data?.schedule;
  return (
    <>
      {schedule?.is_on && (
        <span className="soft">
          each day at {timeOf(schedule.at)}, for {count(schedule.minutes, "minute")} at most
        </span>
      )}
      <Link to="?sheet=site">{schedule?.is_on ? "Change the schedule" : "Run by schedule…"}</Link>
    </>
  );
}

/** Every run, the newest first, with what it saved. */
export function RunsPage() {
  useTitle("Runs");
  const runs = useRuns();
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <h1>Runs</h1>
            <span className="soft">the files of many pictures, made at once</span>
            <span className="gap" />
            <ScheduleWords />
          </div>
          {runs.error && <ProblemNote error={runs.error} again={() => void runs.refetch()} />}
          {runs.isPending && <WaitingRows />}
          {runs.data?.length === 0 && (
            <div className="empty">
              <h2>No run yet</h2>
              <span className="soft">
                Select pictures in the <Link to="/library">library</Link>, or filter them, and choose Run… below the
                list. What it would make and save is told before it starts.
              </span>
            </div>
          )}
          {runs.data && runs.data.length > 0 && (
            <DoneTable
              columns={[
                "Run",
                "Started",
                "State",
                { figures: "Made" },
                { figures: "Skipped" },
                { figures: "Failed" },
                { figures: "Today → after" },
              ]}
            >
              {runs.data.map((run) => (
                <tr key={run.id}>
                  <td>
                    <Link to={`/runs/${run.id}`}>
                      <bdi>{nameOf(run)}</bdi>
                    </Link>
                  </td>
                  <td>
                    <span className="figure">{moment(run.created_at)}</span>{" "}
                    <span className="soft">{run.started_words}</span>
                  </td>
                  <td>{standOf(run)}</td>
                  <td className="right figure">{run.done.toLocaleString("en")}</td>
                  <td className="right figure">{run.skipped.toLocaleString("en")}</td>
                  <td className="right figure">{run.failed.toLocaleString("en")}</td>
                  <td className="right">
                    {run.done > 0 ? (
                      <>
                        <Bytes of={run.before} /> → <Bytes of={run.after} />
                      </>
                    ) : (
                      "–"
                    )}
                  </td>
                </tr>
              ))}
            </DoneTable>
          )}
        </main>
      </div>
      <Tally of={{ filter: {} }} where="in the library" />
    </>
  );
}
