import { Checkbox } from "antd";
import { useState } from "react";
import type { Site } from "../api/client";
import { useSeen } from "../api/useSeen";
import { useChangeSite } from "../api/useSite";
import { HowMany, Saving, TimeOfDay } from "./TimedFields";

/** When files of what is new or changed are made by themselves. */
export function ScheduleForm({ site }: { site: Site }) {
  const [schedule, setSchedule] = useState(site.schedule);
  const change = useChangeSite();
  const seen = useSeen({ schedule: site.schedule }, change);
  const off = schedule.is_on ? undefined : "Switch it on first";
  return (
    <form
      className="add-slot"
      onSubmit={(event) => {
        event.preventDefault();
        change.mutate({ schedule, seen });
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
      <TimeOfDay
        id="schedule-at"
        label="From, by the server’s clock"
        value={schedule.at}
        off={off}
        onChange={(at) => {
          setSchedule({ ...schedule, at });
        }}
      />
      <HowMany
        id="schedule-minutes"
        label="For so many minutes of work at most"
        max={1440}
        value={schedule.minutes}
        off={off}
        onChange={(minutes) => {
          setSchedule({ ...schedule, minutes });
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
      <Saving words="Save the schedule" saving={change} />
    </form>
  );
}
