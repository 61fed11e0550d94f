import { Checkbox } from "antd";
import { useState } from "react";
import type { Site } from "../api/client";
import { useSeen } from "../api/useSeen";
import { useChangeSite } from "../api/useSite";
import { HowMany, Saving, TimeOfDay } from "./TimedFields";

/** When pages are measured again by themselves. */
export function WatchForm({ site }: { site: Site }) {
  const [watch, setWatch] = useState(site.watch);
  const change = useChangeSite();
  const seen = useSeen({ watch: site.watch }, change);
  const off = watch.is_on ? undefined : "Switch it on first";
  return (
    <form
      className="add-slot"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate({ watch, seen });
      }}
    >
      <h2>Measuring by schedule</h2>
      <Checkbox
        checked={watch.is_on}
        onChange={({ target }) => {
          setWatch({ ...watch, is_on: target.checked });
        }}
      >
        Measure the pages again by themselves
      </Checkbox>
      <HowMany
        id="watch-days"
        label="After so many days"
        max={31}
        value={watch.days}
        off={off}
        onChange={(days) => {
          setWatch({ ...watch, days });
        }}
      />
      <TimeOfDay
        id="watch-at"
        label="At, by the server’s clock"
        value={watch.at}
        off={off}
        onChange={(at) => {
          setWatch({ ...watch, at });
        }}
      />
      <span className="soft">
        What was measured last is measured again. Pages that became heavier stand on Margins, with the files that did
        it.
      </span>
      <Saving words="Save when to measure" saving={change} />
    </form>
  );
}
