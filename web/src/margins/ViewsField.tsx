import { InputNumber } from "antd";
import { useState } from "react";
import type { PageMargin } from "../api/client";
import { bytes } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { SaveButton } from "./SaveButton";
import { useSayViews } from "./useMargins";
import { hoursWords } from "./words";

/** How often a page is looked at in a month, and what that makes. */
export function ViewsField({ page }: { page: PageMargin }) {
  const said = page.month?.views ?? null;
  const [views, setViews] = useState(said);
  const say = useSayViews(page.id);
  return (
    <form
      className="page-views"
      onSubmit={(event) => {
        event.preventDefault();
        say.mutate(views);
      }}
    >
      <label htmlFor="views">Page views a month</label>
      <InputNumber
        id="views"
        min={0}
        max={10_000_000_000}
        precision={0}
        value={views}
        onChange={setViews}
        placeholder="not known"
      />
      <SaveButton isChanged={views !== said} loading={say.isPending} words="Save views" />
      {page.month && (
        <span className="figure">
          {bytes(page.month.today)} → about {bytes(page.month.possible)}; {hoursWords(page.month.hours)}
        </span>
      )}
      {say.error && <ProblemNote error={say.error} />}
    </form>
  );
}
