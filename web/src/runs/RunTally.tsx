import type { Run } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { count } from "../ui/figures";

/** What a run made and saved so far. */
export function RunTally({ run }: { run: Run }) {
  return (
    <>
      <span className="part">
        <b>{count(run.done, "set")}</b> made, {count(run.files, "file")}
      </span>
      {run.done > 0 && (
        <span className="part">
          today <Bytes of={run.before} /> → <Bytes of={run.after} />
          {run.saving.saved > 0 && (
            <b>
              saves <Bytes of={run.saving.saved} />
            </b>
          )}
        </span>
      )}
      {run.made_bytes > 0 && (
        <span className="part">
          files on disk <Bytes of={run.made_bytes} />
        </span>
      )}
      {run.skipped > 0 && <span className="part">{run.skipped.toLocaleString("en")} skipped</span>}
      {run.failed > 0 && <span className="part">{run.failed.toLocaleString("en")} failed</span>}
    </>
  );
}
