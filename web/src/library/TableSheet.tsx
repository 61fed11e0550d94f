import { siteApi } from "../api/client";
import { Button } from "antd";
import { useRef, useState } from "react";
import type { FilterBody } from "../api/client";
import { count } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import { queryOf } from "../api/usePictures";
import { useTable } from "./useLibrary";

interface Props {
  open: boolean;
  filter: FilterBody;
  onClose: () => void;
}

/** Descriptions as a table, out and in, with a preview of what changes. */
export function TableSheet({ open, filter, onClose }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<File>();
  const preview = useTable();
  const apply = useTable();
  const address = `${siteApi}/descriptions.csv?${new URLSearchParams(queryOf(filter) as Record<string, string>).toString()}`;
  const told = preview.data;
  return (
    <SideSheet title="Descriptions as a table" open={open} width={520} onClose={onClose}>
      <div className="sheet-part">
        <span>
          <a href={address} download="descriptions.csv">
            Export the list as CSV
          </a>{" "}
          <span className="soft">names, hashes and all descriptions</span>
        </span>
        <input
          ref={input}
          type="file"
          hidden
          accept=".csv,text/csv"
          aria-label="Table of descriptions"
          data-testid="table"
          onChange={({ target }) => {
            const chosen = target.files?.[0];
            target.value = "";
            if (!chosen) return;
            setFile(chosen);
            apply.reset();
            preview.mutate({ text: chosen, apply: false });
          }}
        />
        <Button onClick={() => input.current?.click()} loading={preview.isPending}>
          Import a table…
        </Button>
        <span className="soft">Rows are matched by hash or else by name. Nothing changes until you apply it.</span>
      </div>
      {preview.error && <ProblemNote error={preview.error} />}
      {told && (
        <div className="sheet-part">
          <b>
            {told.cells === 0
              ? "The table changes nothing: the library says the same."
              : `${count(told.cells, "cell")} of ${count(told.pictures, "picture")} would change`}
          </b>
          {told.passed_over.length > 0 && <span className="soft">Columns ignored: {told.passed_over.join(", ")}</span>}
          {told.unmatched.length > 0 && (
            <details>
              <summary>{count(told.unmatched.length, "row has", "rows have")} no picture</summary>
              <ul className="name-list">
                {told.unmatched.map((line) => (
                  <li key={line}>{line}</li>
                ))}
              </ul>
            </details>
          )}
          <ul className="name-list">
            {told.changes.map(({ id, name, field, before, after }) => (
              <li key={`${id} ${field}`}>
                <b>
                  <bdi>{name}</bdi>
                </b>{" "}
                {field}: <bdi className="soft">{before || "empty"}</bdi> → <bdi>{after || "empty"}</bdi>
              </li>
            ))}
          </ul>
          {told.cells > 0 && file && (
            <Button
              type="primary"
              loading={apply.isPending}
              onClick={() => {
                apply.mutate(
                  { text: file, apply: true },
                  {
                    onSuccess: () => {
                      preview.reset();
                      onClose();
                    },
                  },
                );
              }}
            >
              Change {count(told.pictures, "picture")}
            </Button>
          )}
          {apply.error && <ProblemNote error={apply.error} />}
        </div>
      )}
    </SideSheet>
  );
}
