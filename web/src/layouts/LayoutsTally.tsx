import { Link } from "react-router";
import type { MeasuredPage, Slot } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { count } from "../ui/figures";
import { MarginBar, MarginWords } from "../ui/MarginBar";

/** The tally of the chosen slot, or of the page in view. */
export function LayoutsTally({ page, slot }: { page: MeasuredPage | undefined; slot: Slot | undefined }) {
  const chosen = slot ?? page;
  const margin = chosen?.margin;
  return (
    <footer className="tally" aria-label="Tally" aria-live="polite">
      {slot && (
        <span className="part">
          <b>{slot.name}</b> on {count(slot.places, "place")}
        </span>
      )}
      {!slot && page && (
        <span className="part">
          <b>{count(page.places, "slot")}</b> on {page.name}
        </span>
      )}
      {margin && margin.weight > 0 && (
        <>
          <span className="part">
            pictures today <Bytes of={margin.weight} />
          </span>
          <span className="part">
            <MarginBar margin={margin} today={margin.weight} />
            <MarginWords margin={margin} />
          </span>
        </>
      )}
      {chosen && chosen.wasted > 0 && (
        <span className="part">
          <Bytes of={chosen.wasted} /> in pixels that no screen uses
        </span>
      )}
      {chosen && (
        <div className="actions">
          <Link to={slot ? `/runs/new?slot=${slot.id}` : `/runs/new?page=${chosen.id}`}>
            {slot ? "Make this slot's files…" : "Make this page's files…"}
          </Link>
        </div>
      )}
    </footer>
  );
}
