import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, unwrap, type Tally as Figures } from "../api/client";
import { Bytes } from "./Bytes";
import { count, percent } from "./figures";
import { MarginBar, MarginWords } from "./MarginBar";

interface Props {
  /** Whose weights; without it, the whole library's. */
  ids: string[] | undefined;
  /** Where these pictures are: `selected`, `on the bench`. */
  where: string;
  children?: ReactNode;
}

/** The strip along the bottom: what is selected or in view, before and after. */
export function Tally({ ids, where, children }: Props) {
  const tally = useQuery({
    queryKey: ["tally", ids],
    queryFn: async ({ signal }) => {
      const query = ids ? { ids: ids.join(",") } : {};
      return unwrap(await api.GET("/api/tally", { params: { query }, signal }));
    },
  });
  return (
    <footer className="tally" aria-label="Tally" aria-live="polite">
      {tally.data && <TallyFigures tally={tally.data} where={where} />}
      {tally.error && <span>The tally cannot be counted: {tally.error.message}</span>}
      <div className="actions">{children}</div>
    </footer>
  );
}

function TallyFigures({ tally, where }: { tally: Figures; where: string }) {
  return (
    <>
      <span className="part">
        <b>{count(tally.pictures, "picture")}</b>
        {where}
      </span>
      <span className="part">
        originals <Bytes of={tally.originals} />
      </span>
      {tally.made === 0 ? (
        <span className="soft">no file made yet</span>
      ) : (
        <>
          <span className="part">
            {tally.made} made <Bytes of={tally.saving.before} /> → <Bytes of={tally.saving.after} />
          </span>
          <span className="part">
            saved <Bytes of={tally.saving.saved} />
            <span className="figure">({percent(tally.saving.percent)})</span>
          </span>
          <span className="part">
            <MarginBar margin={tally.margin} today={tally.saving.before} />
            <MarginWords margin={tally.margin} />
          </span>
        </>
      )}
    </>
  );
}
