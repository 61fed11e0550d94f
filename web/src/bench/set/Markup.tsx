import { Button } from "antd";
import { useRef, useState } from "react";

/** Copies a text; without leave to write to the clipboard, it calls `onRefused`. */
export function Copy({ text, words, onRefused }: { text: string; words: string; onRefused?: () => string }) {
  const [state, setState] = useState("");
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(text);
      setState("copied");
    } catch {
      setState(onRefused?.() ?? "the browser does not allow it");
    }
  };
  return (
    <>
      <Button size="small" onClick={() => { void copy(); }}>{words}</Button>
      <span className="soft" role="status">{state}</span>
    </>
  );
}

/** The markup of a set, to be copied into the page. */
export function Markup({ text, made }: { text: string; made: boolean }) {
  const shown = useRef<HTMLPreElement>(null);
  const select = () => {
    if (shown.current) getSelection()?.selectAllChildren(shown.current);
    return "press Ctrl C: it is selected";
  };
  return (
    <section className="markup" aria-label="Markup">
      <div className="row">
        <b>Markup</b>
        <Copy text={text} words="Copy markup" onRefused={select} />
        {!made && <span className="soft">names files that are not made yet</span>}
      </div>
      <pre ref={shown} data-testid="markup">{text}</pre>
    </section>
  );
}
