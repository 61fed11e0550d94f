import { Button, Checkbox, Input, InputNumber } from "antd";
import { useState } from "react";
import type { Site } from "../api/client";
import { useChangeSite } from "../api/useSite";
import { ProblemNote } from "../ui/ProblemNote";
import { minutesOf, timeOf } from "../ui/times";

/** When files of what is new or changed are made by themselves. */
export function ScheduleForm({ site }: { site: Site }) {
  const [schedule, setSchedule] = useState(site.schedule);
  const change = useChangeSite();
  const off = schedule.is_on ? undefined : "Switch it on first";
  return (
    <form
      className="add-slot"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate({ schedule });
      }}
    >
      <h2>Runs by schedule</h2>
      <Checkbox
        checked={schedule.is_on}
        onChange={({ target }) => {
          setSchedule({ ...schedule, is_on: target.checked });
        }}
      >
        Each day, make the files of what is new or changed
      </Checkbox>
      <label htmlFor="schedule-at">From, by the server’s clock</label>
      <Input
        id="schedule-at"
        type="time"
        required
        disabled={!schedule.is_on}
        {...(off && { title: off })}
        value={timeOf(schedule.at)}
        onChange={({ target }) => {
          setSchedule({ ...schedule, at: minutesOf(target.value) ?? schedule.at });
        }}
      />
      <label htmlFor="schedule-minutes">For so many minutes of work at most</label>
      <InputNumber
        id="schedule-minutes"
        min={1}
        max={1440}
        precision={0}
        disabled={!schedule.is_on}
        {...(off && { title: off })}
        value={schedule.minutes}
        onChange={(minutes) => {
          setSchedule({ ...schedule, minutes: minutes ?? schedule.minutes });
        }}
      />
      <Checkbox
        checked={schedule.only_idle}
        disabled={!schedule.is_on}
        {...(off && { title: off })}
        onChange={({ target }) => {
          setSchedule({ ...schedule, only_idle: target.checked });
        }}
      >
        Wait until nothing else is to be done
      </Checkbox>
      <span className="soft">
        Files that are there are never made again. Each such run stands under Runs, and can be taken back.
      </span>
      <Button htmlType="submit" loading={change.isPending}>
        Save the schedule
      </Button>
      {change.isSuccess && <span role="status">Saved.</span>}
      {change.error && <ProblemNote error={change.error} />}
    </form>
  );
}
