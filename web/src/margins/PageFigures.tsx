import { Button, InputNumber } from "antd";
import { useState } from "react";
import type { PageComing, PageMargin } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { bytes } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { useSayBudgets } from "./useMargins";
import { millis } from "./words";

/** What was worked out, and the budgets that it is held against. */
export function PageFigures({ coming: { page, budgets, view } }: { coming: PageComing }) {
  const figures = [page.today, page.possible];
  const [kb, setKb] = useState<number | null>(budgets.bytes == null ? null : budgets.bytes / 1_000);
  const [ms, setMs] = useState<number | null>(budgets.time ?? null);
  const say = useSayBudgets(page.id);
  const wish = { bytes: kb === null ? null : Math.round(kb * 1_000), time: ms };
  const isSaid = wish.bytes === (budgets.bytes ?? null) && wish.time === (budgets.time ?? null);
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
      <form
        className="page-budgets"
        onSubmit={(event) => {
          event.preventDefault();
          say.mutate(wish);
        }}
      >
        <label htmlFor="budget-kb">Byte budget, KB</label>
        <InputNumber
          id="budget-kb"
          min={0}
          max={1_000_000}
          value={kb}
          onChange={setKb}
          placeholder={`of its slots: ${bytes(page.bytes.budget)}`}
        />
        <label htmlFor="budget-ms">Time budget, ms</label>
        <InputNumber
          id="budget-ms"
          min={0}
          max={600_000}
          precision={0}
          value={ms}
          onChange={setMs}
          placeholder={`default: ${millis(page.time.budget)}`}
        />
        {isSaid ? (
          <Button disabled title="Nothing was changed">
            Save
          </Button>
        ) : (
          <Button type="primary" htmlType="submit" loading={say.isPending}>
            Save
          </Button>
        )}
        {say.error && <ProblemNote error={say.error} />}
      </form>
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
