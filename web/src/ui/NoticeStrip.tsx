import { useTakeBack } from "../api/useTakeBack";
import { notices, useNotice } from "./notice";
import { useKey } from "./useKey";

/** What was done last, above the tally, until something else is done. */
export function NoticeStrip() {
  const notice = useNotice();
  const back = useTakeBack();
  const change = notice?.change;
  useKey((event) => {
    if (event.key === "u" && change) back.mutate(change);
  });
  if (!notice) return null;
  return (
    <div className="notice done" role="status">
      <span>{notice.words}</span>
      {change && (
        <button type="button" className="quiet-button" onClick={() => { back.mutate(change); }}>
          Take back <kbd>U</kbd>
        </button>
      )}
      <span className="gap" />
      <button type="button" className="quiet-button" aria-label="Hide what was done" onClick={() => { notices.show(undefined); }}>Hide</button>
    </div>
  );
}
