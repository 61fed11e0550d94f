import { Button, Input, InputNumber } from "antd";
import { ProblemNote } from "../ui/ProblemNote";
import { minutesOf, timeOf } from "../ui/times";

interface FieldProps {
  id: string;
  label: string;
  value: number;
  /** Why it cannot be changed now. */
  off: string | undefined;
  onChange: (value: number) => void;
}

/** A time of the day, in minutes after midnight; an emptied field keeps the time that was. */
export function TimeOfDay({ id, label, value, off, onChange }: FieldProps) {
  return (
    <>
      <label htmlFor={id}>{label}</label>
      <Input
        id={id}
        type="time"
        required
        disabled={off !== undefined}
        {...(off && { title: off })}
        value={timeOf(value)}
        onChange={({ target }) => {
          onChange(minutesOf(target.value) ?? value);
        }}
      />
    </>
  );
}

/** So many minutes or days; an emptied field keeps the number that was. */
export function HowMany({ id, label, value, off, max, onChange }: FieldProps & { max: number }) {
  return (
    <>
      <label htmlFor={id}>{label}</label>
      <InputNumber
        id={id}
        min={1}
        max={max}
        precision={0}
        disabled={off !== undefined}
        {...(off && { title: off })}
        value={value}
        onChange={(next) => {
          onChange(next ?? value);
        }}
      />
    </>
  );
}

interface SavingProps {
  words: string;
  saving: { isPending: boolean; isSuccess: boolean; error: Error | null };
}

/** The button that saves a form, and what became of it. */
export function Saving({ words, saving }: SavingProps) {
  return (
    <>
      <Button htmlType="submit" loading={saving.isPending}>
        {words}
      </Button>
      {saving.isSuccess && <span role="status">Saved.</span>}
      {saving.error && <ProblemNote error={saving.error} />}
    </>
  );
}
