import type { PublicationSums } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { density } from "../ui/figures";

type Screen = PublicationSums["screens"][number];

/** What pictures weigh on a screen, before and after. */
export function ScreenWords({ screen, named = true }: { screen: Screen; named?: boolean }) {
  return (
    <span className="screen-words">
      {named && (
        <span className="soft">
          {screen.width} px, {density(screen.density)}:{" "}
        </span>
      )}
      <Bytes of={screen.saving.before} /> → <Bytes of={screen.saving.after} />
    </span>
  );
}
