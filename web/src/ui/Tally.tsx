import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, unwrap, type Tally as Figures, type Which } from "../api/client";
import { Bytes } from "./Bytes";
import { bytes, count, percent } from "./figures";
import { MarginBar, MarginWords } from "./MarginBar";

interface Props {
  /** Whose weights. */
  of: Which;
  /** Where these pictures are: `selected`, `on the bench`. */
  where: string;
  children?: ReactNode;
}

export function useTally(of: Which) {
  return useQuery({
    queryKey: ["tally", of],
    queryFn: async ({ signal }) => {
      return unwrap(await api.POST("/tally", { body: { which: of }, signal }));
    },
    placeholderData: (previous) => previous,
  });
}

/** The strip along the bottom: what is selected or in view, before and after. */
export function Tally({ of, where, children }: Props) {
  const tally = useTally(of);
  return (
    <footer className="tally" aria-label="Tally">
      <div className="tally-figures">{tally.data && <TallyFigures tally={tally.data} where={where} />}</div>
      {tally.error && <span>The tally cannot be counted: {tally.error.message}</span>}
      <div className="actions">{children}</div>
    </footer>
  );
}

function TallyFigures({ tally, where }: { tally: Figures; where: string }) {
  const { today, possible, estimated } = tally;
  const range = `estimated for ${count(estimated, "picture")}: ${bytes(possible.low)} to ${bytes(possible.high)}`;
  return (
    <>
      <span className="part">
        <b>{count(tally.pictures, "picture")}</b>
        {where}
      </span>
      {estimated > 0 ? (
        <span className="part" title={range}>
          today <Bytes of={today} /> → about <Bytes of={possible.about} />
          <span className="figure soft tally-range">
            ({bytes(possible.low)}–{bytes(possible.high)})
          </span>
        </span>
      ) : (
        <span className="part">
          originals <Bytes of={tally.originals} />
        </span>
      )}
      {tally.made > 0 && (
        <>
          <span className="part made">
            {tally.made} made <Bytes of={tally.saving.before} /> → <Bytes of={tally.saving.after} />
            <span className="figure">({percent(tally.saving.percent)})</span>
          </span>
          <span className="part made">
            <MarginBar margin={tally.margin} today={tally.saving.before} />
            <MarginWords margin={tally.margin} />
          </span>
        </>
      )}
    </>
  );
}
