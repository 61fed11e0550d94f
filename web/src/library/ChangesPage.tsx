import { useQuery } from "@tanstack/react-query";
import { Button } from "antd";
import { Link } from "react-router";
import { api, unwrap } from "../api/client";
import { useTakeBack } from "../api/useTakeBack";
import { count, moment } from "../ui/figures";
import { lastAddress } from "../ui/lastAddress";
import { ProblemNote } from "../ui/ProblemNote";
import { Tally } from "../ui/Tally";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";

/** What was changed, the newest first, each of which can be taken back at any later time. */
export function ChangesPage() {
  useTitle("Changes");
  const changes = useQuery({
    queryKey: ["pictures", "changes"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/changes", { signal })),
  });
  const back = useTakeBack();
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <h1>Changes</h1>
            <span className="soft">The last 50; what was changed again since stays when one is taken back</span>
            <span className="gap" />
            <Link to={lastAddress("/library")}>Back to the library</Link>
          </div>
          {changes.error && <ProblemNote error={changes.error} again={() => void changes.refetch()} />}
          {changes.isPending && <WaitingRows />}
          {changes.data?.length === 0 && (
            <div className="empty">
              <h2>Nothing was changed yet</h2>
              <span className="soft">Whatever is described, edited, merged or removed is listed here.</span>
            </div>
          )}
          {changes.data && changes.data.length > 0 && (
            <table className="changes">
              <thead>
                <tr>
                  <th scope="col">When</th>
                  <th scope="col">What was done</th>
                  <th scope="col" className="right">
                    Pictures
                  </th>
                  <th scope="col">
                    <span className="unseen">Take back</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {changes.data.map((change) => (
                  <tr key={change.id}>
                    <td className="figure">{moment(change.made_at)}</td>
                    <td className="change-words">{change.summary}</td>
                    <td className="right">{count(change.pictures, "picture")}</td>
                    <td>
                      <Button
                        aria-label={`Take back: ${change.summary}`}
                        loading={back.isPending && back.variables === change.id}
                        onClick={() => {
                          back.mutate(change.id);
                        }}
                      >
                        Take back
                      </Button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
        </main>
      </div>
      <Tally of={{ filter: {} }} where="in the library" />
    </>
  );
}
