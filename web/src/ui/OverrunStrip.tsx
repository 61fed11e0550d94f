import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Button } from "antd";
import { Link } from "react-router";
import { accept, api, unwrap, type Overrun } from "../api/client";
import { bytes, count, millis } from "./figures";

/** So many pages are named; the others are counted. */
const NAMED = 3;

/** Pages that went over a budget, in the tally of every screen until somebody saw it. */
export function OverrunStrip() {
  const queries = useQueryClient();
  const overruns = useQuery({
    queryKey: ["overruns"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/margins/overruns", { signal })),
  });
  const see = useMutation({
    mutationFn: async () => {
      accept(await api.POST("/margins/overruns/seen", {}));
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ["overruns"] }),
  });
  const all = overruns.data ?? [];
  if (all.length === 0) return null;
  return (
    <section className="run-strip" aria-label="Overruns that arose" role="status">
      <b>{count(all.length, "page")} over budget now:</b>
      {all.slice(0, NAMED).map((overrun) => (
        <span key={overrun.page}>
          <Link to={`/margins/${overrun.page}`}>
            <bdi>{overrun.page_name}</bdi>
          </Link>{" "}
          by <span className="figure">{overrunWords(overrun)}</span>
        </span>
      ))}
      {all.length > NAMED && <Link to="/margins?order=bytes">and {count(all.length - NAMED, "other")}</Link>}
      <span className="gap" />
      <Button
        size="small"
        loading={see.isPending}
        onClick={() => {
          see.mutate();
        }}
      >
        Seen
      </Button>
    </section>
  );
}

/** `40.0 KB, 310 ms`. */
function overrunWords({ bytes: over, time }: Overrun) {
  return [over != null && bytes(over), time != null && millis(time)].filter((part) => part !== false).join(", ");
}
