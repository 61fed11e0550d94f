import { Button } from "antd";
import { useRef, useState } from "react";

/** The markup of a set, to be copied into the page. */
export function Markup({ text, made }: { text: string; made: boolean }) {
  const shown = useRef<HTMLPreElement>(null);
  const [state, setState] = useState("");
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(text);
      setState("copied");
    } catch {
      // Without leave to write there, what is to be copied is at least chosen.
      if (shown.current) getSelection()?.selectAllChildren(shown.current);
      setState("press Ctrl C: it is selected");
    }
  };
  return (
    <section className="markup" aria-label="Markup">
      <div className="row">
        <b>Markup</b>
        <Button size="small" onClick={() => { void copy(); }}>Copy markup</Button>
        <span className="soft" role="status">{state}</span>
        {!made && <span className="soft">names files that are not made yet</span>}
      </div>
      <pre ref={shown} data-testid="markup">{text}</pre>
    </section>
  );
}
