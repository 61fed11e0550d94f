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
      <Button
        size="small"
        onClick={() => {
          void copy();
        }}
      >
        {words}
      </Button>
      <span className="soft" role="status">
        {state}
      </span>
    </>
  );
}

/** The markup of a set, or the style rules of a background, to be copied into the page. */
export function Markup({ text, made, isBackground }: { text: string; made: boolean; isBackground: boolean }) {
  const shown = useRef<HTMLPreElement>(null);
  const select = () => {
    if (shown.current) getSelection()?.selectAllChildren(shown.current);
    return "press Ctrl C: it is selected";
  };
  const what = isBackground ? "Style rules" : "Markup";
  return (
    <section className="markup" aria-label={what}>
      <div className="row">
        <b>{what}</b>
        <Copy text={text} words={`Copy ${what.toLowerCase()}`} onRefused={select} />
        {isBackground && <span className="soft">to stand behind the page’s own, which keep size and place</span>}
        {!made && <span className="soft">names files that are not made yet</span>}
      </div>
      <pre ref={shown} data-testid="markup" data-rules={isBackground || undefined}>
        {text}
      </pre>
    </section>
  );
}
