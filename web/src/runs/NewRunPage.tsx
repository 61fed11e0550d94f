import { Button, Input } from "antd";
import { useState } from "react";
import { Link, useLocation, useNavigate } from "react-router";
import type { Forecast, Which } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { bytes, count, timeLeft } from "../ui/figures";
import { lastAddress } from "../ui/lastAddress";
import { ProblemNote } from "../ui/ProblemNote";
import { Tally } from "../ui/Tally";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import "./runs.css";
import { useForecast, useStartRun } from "./useRuns";

/** What a run would do, before it starts. */
export function NewRunPage() {
  useTitle("New run");
  const { state } = useLocation() as { state: { which?: Which } | null };
  const which = state?.which;
  const navigate = useNavigate();
  const [name, setName] = useState("");
  const forecast = useForecast(which);
  const start = useStartRun();
  const lacking = forecast.data?.sets === 0 ? "Nothing is to be made" : !forecast.data ? "Being forecast" : undefined;
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <h1>New run</h1>
            <span className="soft">makes all files of the chosen pictures, for every slot that shows them</span>
            <span className="gap" />
            <Link to={lastAddress("/library")}>Back to the library</Link>
          </div>
          {!which && (
            <div className="empty">
              <h2>No pictures are chosen</h2>
              <span className="soft">
                Select pictures in the library, or filter them, and choose Run… below the list.
              </span>
            </div>
          )}
          {forecast.error && <ProblemNote error={forecast.error} again={() => void forecast.refetch()} />}
          {which && forecast.isPending && <WaitingRows rows={6} />}
          {which && forecast.data && (
            <form
              className="new-run"
              onSubmit={(event) => {
                event.preventDefault();
                if (lacking) return;
                start.mutate(
                  { which, name },
                  { onSuccess: ({ id }) => void navigate(`/runs/${id}`, { replace: true }) },
                );
              }}
            >
              <ForecastFacts forecast={forecast.data} />
              <div className="part">
                <label htmlFor="run-name">Name</label>
                <Input
                  id="run-name"
                  value={name}
                  maxLength={200}
                  placeholder="such as Winter gallery; may stay empty"
                  onChange={({ target }) => {
                    setName(target.value);
                  }}
                />
              </div>
              <span>
                <Button
                  type="primary"
                  htmlType="submit"
                  loading={start.isPending}
                  disabled={lacking !== undefined}
                  title={lacking}
                >
                  Start run
                </Button>
              </span>
              <p className="soft">
                Originals and pages stay as they are. What a run made can be taken back at any later time.
              </p>
              {start.error && <ProblemNote error={start.error} />}
            </form>
          )}
        </main>
      </div>
      <Tally of={which ?? { filter: {} }} where={which ? "chosen" : "in the library"} />
    </>
  );
}

function ForecastFacts({ forecast }: { forecast: Forecast }) {
  const { pictures, sets, files, sampled, today, expected, seconds, skipped } = forecast;
  return (
    <dl className="forecast" data-testid="forecast">
      <dt>To be made</dt>
      <dd>
        {count(pictures, "picture")} in {count(sets, "slot")}:{" "}
        <b>
          {sampled < sets ? "about " : ""}
          {count(files, "file")}
        </b>
      </dd>
      <dt>Bytes of these pictures</dt>
      <dd>
        <Bytes of={today} /> → about <Bytes of={expected.about} />{" "}
        <span className="figure soft">
          ({bytes(expected.low)}–{bytes(expected.high)})
        </span>
      </dd>
      <dt>Time</dt>
      <dd>
        {seconds == null ? "not known before the first files are made here" : timeLeft(seconds).replace(" left", "")}
      </dd>
      <dt>Skipped</dt>
      <dd>
        {skipped.length === 0
          ? "none"
          : skipped.map(({ reason, words, pictures: n }) => (
              <div key={reason}>
                {count(n, "picture")}: {words}
              </div>
            ))}
      </dd>
    </dl>
  );
}
