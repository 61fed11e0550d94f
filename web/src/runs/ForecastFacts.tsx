import type { Forecast } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { bytes, count, percent, timeLeft } from "../ui/figures";

interface Props {
  forecast: Forecast;
  /** Whether another one is being worked out. */
  waiting: boolean;
}

/** What a run would do, and how that is known. */
export function ForecastFacts({ forecast, waiting }: Props) {
  const { pictures, sets, files, sampled, today, expected, seconds, skipped } = forecast;
  const about = sampled < sets ? "about " : "";
  return (
    <dl className="forecast" data-testid="forecast" aria-busy={waiting}>
      <dt>To be made</dt>
      <dd>
        {count(pictures, "picture")}, {count(sets, "set")} of files:{" "}
        <b>
          {about}
          {count(files, "file")}
        </b>
        {sets > 0 && (
          <div className="soft">
            One more format adds about {forecast.one_more_format.toLocaleString("en")}, one more density about{" "}
            {forecast.one_more_density.toLocaleString("en")}.
          </div>
        )}
        {forecast.within_limits != null && (
          <div>
            <b>About {count(forecast.within_limits, "set")} until a limit is reached;</b> the rest is left for later.
          </div>
        )}
      </dd>
      <dt>By the rules</dt>
      <dd>
        {forecast.own_rule != null && (
          <div>
            <b>{forecast.own_rule}</b>, chosen for this run
            {forecast.rules > 0 && `: it changes the own rule of ${count(forecast.rules, "picture")}`}
          </div>
        )}
        {forecast.rule}
        <div className="soft">
          {forecast.own_rule != null && "For what it does not say, and "}
          {forecast.own_rule != null ? "where" : "Where"} a slot or a picture has no rule of its own.
        </div>
      </dd>
      <dt>Bytes in pages</dt>
      <dd>
        <Bytes of={today} /> → about <Bytes of={expected.about} />{" "}
        <span className="figure soft">
          ({bytes(expected.low)}–{bytes(expected.high)})
        </span>
        {today > 0 && <b> saves {percent(forecast.saving.percent)}</b>}
        {sets > 0 && (
          <div className="soft">
            {forecast.measured > 0
              ? `By the pictures' own pixels, corrected by ${count(forecast.measured, "file")} really made.`
              : "By the pictures' own pixels; no file was made to compare."}
          </div>
        )}
      </dd>
      <dt>Time</dt>
      <dd>
        {seconds == null ? "not known before the first files are made here" : timeLeft(seconds).replace(" left", "")}
      </dd>
      <dt>Disk</dt>
      <dd>
        about <Bytes of={forecast.disk} />
        {forecast.disk_free != null && (
          <span className="soft">
            {" "}
            of <Bytes of={forecast.disk_free} /> free
          </span>
        )}
        {forecast.lacks_room && <b role="alert"> More than there is: make room, or limit the run.</b>}
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
