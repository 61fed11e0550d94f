import { Button, Checkbox, Input, InputNumber } from "antd";
import { useState } from "react";
import type { Site } from "../api/client";
import { useChangeSite } from "../api/useSite";
import { ProblemNote } from "../ui/ProblemNote";
import { minutesOf, timeOf } from "../ui/times";

/** When pages are measured again by themselves. */
export function WatchForm({ site }: { site: Site }) {
  const [watch, setWatch] = useState(site.watch);
  const change = useChangeSite();
  const off = watch.is_on ? undefined : "Switch it on first";
  return (
    <form
      className="add-slot"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate({ watch });
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
      <label htmlFor="watch-days">After so many days</label>
      <InputNumber
        id="watch-days"
        min={1}
        max={31}
        precision={0}
        disabled={!watch.is_on}
        {...(off && { title: off })}
        value={watch.days}
        onChange={(days) => {
          setWatch({ ...watch, days: days ?? watch.days });
        }}
      />
      <label htmlFor="watch-at">At, by the server’s clock</label>
      <Input
        id="watch-at"
        type="time"
        required
        disabled={!watch.is_on}
        {...(off && { title: off })}
        value={timeOf(watch.at)}
        onChange={({ target }) => {
          setWatch({ ...watch, at: minutesOf(target.value) ?? watch.at });
        }}
      />
      <span className="soft">
        What was measured last is measured again. Pages that became heavier stand on Margins, with the files that did
        it.
      </span>
      <Button htmlType="submit" loading={change.isPending}>
        Save when to measure
      </Button>
      {change.isSuccess && <span role="status">Saved.</span>}
      {change.error && <ProblemNote error={change.error} />}
    </form>
  );
}
