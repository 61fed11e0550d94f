import { Link } from "react-router";
import type { Gain } from "../api/client";
import { bytes, millis } from "../ui/figures";

/** Where a gain is had. */
export const benchOf = (gain: Gain) => `/bench/${gain.picture}?slot=${gain.slot}`;

/** The places with most to gain, each one press from the bench. */
export function Gains({ gains }: { gains: Gain[] }) {
  return (
    <>
      <h2>Most to gain</h2>
      {gains.length === 0 && (
        <span className="soft">No picture of these pages is in the library heavier than it could be.</span>
      )}
      <ol>
        {gains.map((gain) => (
          <li key={gain.place}>
            <Link to={benchOf(gain)}>
              <bdi>{gain.picture_name}</bdi>
            </Link>
            <span className="soft">{gain.slot_name}</span>
            <span className="figure">
              {bytes(gain.saving.before)} → about {bytes(gain.saving.after)}
            </span>
            <span className="figure soft">{millis(gain.time)} less on the link</span>
          </li>
        ))}
      </ol>
    </>
  );
}
