import type { PageComing, PageMargin } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { bytes, millis } from "../ui/figures";
import { BudgetFields } from "./BudgetFields";
import { useSayBudgets } from "./useMargins";
import { ViewsField } from "./ViewsField";

/** What was worked out, and the budgets that it is held against. */
export function PageFigures({ coming: { page, budgets, view } }: { coming: PageComing }) {
  const figures = [page.today, page.possible];
  const say = useSayBudgets(page.id);
  const time = (ms: number) => <span className="figure">{millis(ms)}</span>;
  return (
    <div className="page-figures">
      <FigureTable
        figures={figures}
        rows={[
          ["Until loaded", ({ weight }) => <Bytes of={weight.total} />],
          ["of that, pictures", ({ weight }) => <Bytes of={weight.picture} />],
          ["Lazy", ({ weight }) => <Bytes of={weight.lazy} />],
        ]}
      />
      <FigureTable
        figures={figures}
        rows={[
          ["First paint", ({ times }) => time(times.first_paint)],
          ["LCP", ({ times }) => time(times.lcp)],
          ["Last picture", ({ times }) => time(times.last_picture)],
        ]}
      />
      <BudgetFields
        budgets={budgets}
        defaults={{ bytes: bytes(page.bytes.budget), time: millis(page.time.budget) }}
        saving={say}
        onSave={(wish, seen) => {
          say.mutate({ ...wish, seen });
        }}
      />
      <ViewsField key={page.month?.views ?? "unknown"} page={page} />
      <p className="soft">
        Times come from a model of {view.connection.words}: hand-shakes, slow start, priorities, what blocks, and the
        decoding of pictures.
      </p>
    </div>
  );
}

interface FigureTableProps {
  /** Today, and as it could be. */
  figures: PageMargin["today"][];
  rows: [string, (figures: PageMargin["today"]) => React.ReactNode][];
}

function FigureTable({ figures, rows }: FigureTableProps) {
  return (
    <table className="done-table">
      <thead>
        <tr>
          <td />
          {["Today", "Possible"].map((name) => (
            <th key={name} scope="col" className="right">
              {name}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map(([name, of]) => (
          <tr key={name}>
            <th scope="row">{name}</th>
            {figures.map((one, n) => (
              <td key={n} className="right">
                {of(one)}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
