import { InputNumber } from "antd";
import { useState } from "react";
import type { PageBudgets } from "../api/client";
import { useSeen } from "../api/useSeen";
import { ProblemNote } from "../ui/ProblemNote";
import { SaveButton } from "./SaveButton";

interface Props {
  /** What was said of them. */
  budgets: PageBudgets;
  /** What holds where nothing is said. */
  defaults: { bytes: string; time: string };
  saving: { isIdle: boolean; isPending: boolean; error: Error | null };
  /** `seen` is what was said when the fields were opened. */
  onSave: (budgets: { bytes: number | null; time: number | null }, seen: PageBudgets) => void;
}

/** What a page, or each page, may weigh and take. */
export function BudgetFields({ budgets, defaults, saving, onSave }: Props) {
  const [kb, setKb] = useState<number | null>(budgets.bytes == null ? null : budgets.bytes / 1_000);
  const [ms, setMs] = useState<number | null>(budgets.time ?? null);
  const seen = useSeen(budgets, saving);
  const wish = { bytes: kb === null ? null : Math.round(kb * 1_000), time: ms };
  const isSaid = wish.bytes === (budgets.bytes ?? null) && wish.time === (budgets.time ?? null);
  return (
    <form
      className="page-budgets"
      onSubmit={(event) => {
        event.preventDefault();
        onSave(wish, seen);
      }}
    >
      <label htmlFor="budget-kb">Byte budget, KB</label>
      <InputNumber
        id="budget-kb"
        min={0}
        max={1_000_000}
        value={kb}
        onChange={setKb}
        placeholder={`default: ${defaults.bytes}`}
      />
      <label htmlFor="budget-ms">Time budget, ms</label>
      <InputNumber
        id="budget-ms"
        min={0}
        max={600_000}
        precision={0}
        value={ms}
        onChange={setMs}
        placeholder={`default: ${defaults.time}`}
      />
      <SaveButton isChanged={!isSaid} loading={saving.isPending} />
      {saving.error && <ProblemNote error={saving.error} />}
    </form>
  );
}
