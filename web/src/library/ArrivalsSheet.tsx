import { Button } from "antd";
import { Link } from "react-router";
import { SideSheet } from "../ui/SideSheet";
import { bytes, count, formatName, pixels } from "../ui/figures";
import { arrivals, isUnderWay, type Arrival, type Stage } from "./arrivals";
import { ChooseFiles } from "./ChooseFiles";
import { useArrivals } from "./useArrivals";

/** The side sheet of files on their way in, and how they fared. */
export function ArrivalsSheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  const list = useArrivals();
  const underWay = list.filter(({ stage }) => isUnderWay(stage)).length;
  return (
    <SideSheet title="Arrivals" open={open} onClose={onClose}>
      <div className="arrivals">
        <div className="arrivals-head">
          <ChooseFiles />
          {underWay > 0 ? (
            <Button onClick={() => { arrivals.cancelAll(); }}>Cancel {count(underWay, "file")}</Button>
          ) : (
            list.length > 0 && <Button onClick={() => { arrivals.clear(); }}>Clear the list</Button>
          )}
          <span className="soft">{underWay > 0 && timeLeft(arrivals.secondsLeft())}</span>
        </div>
        {list.length === 0 && (
          <p className="soft">Drop JPEG or PNG files anywhere in this window, or choose them. Each may have up to 200 MB.</p>
        )}
        <ul>
          {list.map((arrival) => (
            <ArrivalRow key={arrival.key} arrival={arrival} onOpen={onClose} />
          ))}
        </ul>
      </div>
    </SideSheet>
  );
}

function timeLeft(seconds: number | undefined) {
  if (seconds === undefined) return "";
  return seconds < 60 ? `about ${Math.ceil(seconds)} s left` : `about ${Math.ceil(seconds / 60)} min left`;
}

function ArrivalRow({ arrival, onOpen }: { arrival: Arrival; onOpen: () => void }) {
  const { key, file, stage } = arrival;
  return (
    <li data-stage={stage.name}>
      <div className="arrival-name"><bdi>{file.name}</bdi></div>
      <div className="arrival-state">
        <StageWords stage={stage} size={file.size} />
        {isUnderWay(stage) && (
          <button type="button" className="quiet-button" onClick={() => { arrivals.cancel(key); }}>Cancel</button>
        )}
        {(stage.name === "cancelled" || (stage.name === "refused" && !stage.final)) && (
          <button type="button" className="quiet-button" onClick={() => { arrivals.retry(key); }}>Try again</button>
        )}
        {(stage.name === "taken" || stage.name === "there already") && (
          <Link to={`/bench/${stage.picture.id}`} onClick={onOpen}>Open on the bench</Link>
        )}
      </div>
      {stage.name === "sending" && <progress value={stage.sent} max={Math.max(1, file.size)} aria-label={`Sending ${file.name}`} />}
    </li>
  );
}

function StageWords({ stage, size }: { stage: Stage; size: number }) {
  switch (stage.name) {
    case "waiting":
      return <span className="soft">Waiting · <span className="figure">{bytes(size)}</span></span>;
    case "sending":
      return <span>Sending <span className="figure">{bytes(stage.sent)} of {bytes(size)}</span></span>;
    case "checking":
      return <span>Reading it through and storing it…</span>;
    case "cancelled":
      return <span className="soft">Cancelled; nothing was kept.</span>;
    case "refused":
      return <span><b>Not taken:</b> {stage.reason}</span>;
    case "taken":
    case "there already": {
      const { format, width, height } = stage.picture;
      return (
        <span>
          {stage.name === "taken" ? "Taken" : "There already; no second copy"} ·{" "}
          <span className="figure">{formatName[format]} {pixels(width, height)} {bytes(size)}</span>
        </span>
      );
    }
  }
}
