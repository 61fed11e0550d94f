import { useTakeBack } from "../api/useTakeBack";
import { notices, useNotice } from "./notice";
import { useKey } from "./useKey";

/** What was done last, above the tally, until something else is done. */
export function NoticeStrip() {
  const notice = useNotice();
  const back = useTakeBack();
  const { change, undo } = notice ?? {};
  const takeBack = change
    ? () => {
        back.mutate(change);
      }
    : undo &&
      (() => {
        undo().catch((error: unknown) => {
          notices.show({ words: `Not taken back: ${error instanceof Error ? error.message : String(error)}` });
        });
      });
  useKey((event) => {
    if (event.key === "u") takeBack?.();
  });
  if (!notice) return null;
  return (
    <div className="notice done" role="status">
      <span>{notice.words}</span>
      {takeBack && (
        <button type="button" className="quiet-button" onClick={takeBack}>
          Take back <kbd>U</kbd>
        </button>
      )}
      <span className="gap" />
      <button
        type="button"
        className="quiet-button"
        aria-label="Hide what was done"
        onClick={() => {
          notices.show(undefined);
        }}
      >
        Hide
      </button>
    </div>
  );
}
