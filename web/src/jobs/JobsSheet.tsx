import { Button } from "antd";
import type { Job, Jobs } from "../api/client";
import { count } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import "./jobs.css";
import { useJobActions, useJobs } from "./useJobs";

/** What goes on in the background: what runs, what waits, what was set aside, and what ended last. */
export function JobsSheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  const jobs = useJobs();
  const { cancel, retry } = useJobActions();
  const error = cancel.error ?? retry.error ?? jobs.error;
  const of = (...states: Job["state"][]) => jobs.data?.jobs.filter((job) => states.includes(job.state)) ?? [];
  const running = of("running");
  const failed = of("failed");
  const ended = of("done", "cancelled").slice(0, 12);
  const again = (job: Job) => (
    <Button
      size="small"
      onClick={() => {
        retry.mutate(job.id);
      }}
    >
      Retry
    </Button>
  );
  return (
    <SideSheet title="In the background" open={open} onClose={onClose} width={460}>
      {error && <ProblemNote error={error} />}
      {jobs.data?.jobs.length === 0 && <p className="soft">Nothing was to be done yet.</p>}
      {jobs.data && <Waiting jobs={jobs.data} />}
      <Section title="Running" jobs={running}>
        {(job) => (
          <Button
            size="small"
            disabled={job.cancel_asked}
            title={job.cancel_asked ? "It ends in a moment" : "What was done stays"}
            onClick={() => {
              cancel.mutate(job.id);
            }}
          >
            Cancel
          </Button>
        )}
      </Section>
      <Section title="Set aside" jobs={failed}>
        {(job) => (
          <span className="part">
            {again(job)}
            <Button
              size="small"
              title="Not tried again; it stays below for a while, where it can still be retried"
              onClick={() => {
                cancel.mutate(job.id);
              }}
            >
              Dismiss
            </Button>
          </span>
        )}
      </Section>
      <Section title="Ended last" jobs={ended}>
        {(job) => job.state === "cancelled" && again(job)}
      </Section>
    </SideSheet>
  );
}

/** How many wait, by kind. */
function Waiting({ jobs }: { jobs: Jobs }) {
  const waiting = jobs.kinds.filter((kind) => kind.waiting > 0);
  if (waiting.length === 0) return null;
  return (
    <section className="jobs-part">
      <h2>Waiting</h2>
      {waiting.map((kind) => (
        <p key={kind.kind} className="job">
          <span>{kind.words}</span>
          <span className="figure">{count(kind.waiting, "job")}</span>
        </p>
      ))}
    </section>
  );
}

interface SectionProps {
  title: string;
  jobs: Job[];
  children?: (job: Job) => React.ReactNode;
}

function Section({ title, jobs, children }: SectionProps) {
  if (jobs.length === 0) return null;
  return (
    <section className="jobs-part" aria-label={title}>
      <h2>{title}</h2>
      {jobs.map((job) => (
        <div key={job.id} className="job">
          <span className="job-words">
            {job.words}
            {job.about && <span className="soft job-about"> · {job.about}</span>}
            {job.state === "failed" && <span className="job-reason">{job.reason}</span>}
          </span>
          <Progress job={job} />
          {children?.(job)}
        </div>
      ))}
    </section>
  );
}

function Progress({ job }: { job: Job }) {
  if (job.ended_at != null) {
    const time = new Date(job.ended_at).toLocaleTimeString("en-GB");
    return (
      <span className="soft">
        {job.state === "cancelled" ? "cancelled " : ""}
        <span className="figure">{time}</span>
      </span>
    );
  }
  if (job.state !== "running" || job.total == null) return null;
  return (
    <span className="part" role="status">
      <progress max={job.total} value={job.done} aria-label={job.words} />
      <span className="figure">
        {job.done} of {job.total}
      </span>
    </span>
  );
}
