import { millis } from "../ui/figures";
import { useQueryClient } from "@tanstack/react-query";
import type { PageBudgets } from "../api/client";
import { useChangeSite } from "../api/useSite";
import { SideSheet } from "../ui/SideSheet";
import { BudgetFields } from "./BudgetFields";

interface Props {
  budgets: PageBudgets;
  /** How long a page may take where nobody says otherwise, in ms. */
  usualTime: number;
  open: boolean;
  onClose: () => void;
}

/** What each page may weigh and take where nothing else is said of it. */
export function SiteBudgets({ budgets, usualTime, open, onClose }: Props) {
  const queries = useQueryClient();
  const change = useChangeSite();
  return (
    <SideSheet title="Budgets of all pages" open={open} onClose={onClose}>
      <BudgetFields
        budgets={budgets}
        defaults={{ bytes: "of its slots", time: millis(usualTime) }}
        saving={change}
        onSave={(wish, seen) => {
          change.mutate(
            { page_budgets: wish, seen: { page_budgets: seen } },
            { onSuccess: () => void queries.invalidateQueries({ queryKey: ["margins"] }) },
          );
        }}
      />
      <p className="soft">
        Bytes before anybody scrolls, and the time until the largest paint. An empty field leaves the default; a page’s
        own budget, on its page here, goes before these. Slots have budgets of their own in Layouts.
      </p>
      {change.isSuccess && <span role="status">Saved.</span>}
    </SideSheet>
  );
}
