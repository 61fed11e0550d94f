import type { ReactNode, Ref } from "react";
import "./tables.css";

/** A column: its name, and whether it holds figures, which stand below each other by their last digits. */
export type Column = string | { figures: string } | { unseen: string };

const nameOf = (column: Column) =>
  typeof column === "string" ? column : "figures" in column ? column.figures : column.unseen;

interface Props {
  columns: Column[];
  children: ReactNode;
  ref?: Ref<HTMLTableElement>;
}

/** A table of what was done or would be. */
export function DoneTable({ columns, children, ref }: Props) {
  return (
    <table className="done-table" ref={ref}>
      <thead>
        <tr>
          {columns.map((column) => {
            const name = nameOf(column);
            const figures = typeof column !== "string" && "figures" in column;
            const unseen = typeof column !== "string" && "unseen" in column;
            return (
              <th scope="col" key={name} {...(figures ? { className: "right" } : {})}>
                {unseen ? <span className="unseen">{name}</span> : name}
              </th>
            );
          })}
        </tr>
      </thead>
      <tbody>{children}</tbody>
    </table>
  );
}
