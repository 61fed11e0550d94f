import { Button } from "antd";
import type { Jobs } from "../api/client";
import { useJobs } from "./useJobs";

/** How much goes on in the background, in a word; opens what it is. */
export function JobsButton({ onClick }: { onClick: () => void }) {
  const jobs = useJobs();
  return (
    <Button onClick={onClick} title="What goes on in the background">
      {jobs.data ? words(jobs.data) : "Background"}
    </Button>
  );
}

/** `Background`, `Background: 3 left`, `Background: 1 set aside`. */
export function words({ kinds }: Jobs) {
  const sum = (state: "running" | "waiting" | "failed") => kinds.reduce((sum, kind) => sum + kind[state], 0);
  const left = sum("running") + sum("waiting");
  const failed = sum("failed");
  const parts = [left > 0 && `${left.toLocaleString("en")} left`, failed > 0 && `${failed} set aside`];
  const told = parts.filter((part) => part !== false);
  return told.length > 0 ? `Background: ${told.join(", ")}` : "Background";
}
