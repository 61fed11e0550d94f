import type { Difference } from "../api/client";

const SIGNS = { same: " ", gone: "−", added: "+" } as const;
const WORDS = { same: "", gone: "gone: ", added: "added: " } as const;

/** Lines that differ, with those around them. */
export function Lines({ of }: { of: Difference[] }) {
  if (of.length === 0) return <p className="soft">No line differs.</p>;
  return of.map(({ from, lines }) => (
    <pre key={from} className="lines" aria-label={`From line ${from}`}>
      {lines.map(({ kind, parts }, n) => (
        <span key={n} data-kind={kind}>
          <span aria-hidden>{SIGNS[kind]} </span>
          <span className="unseen">{WORDS[kind]}</span>
          {parts.map((part, at) => (at % 2 === 1 ? <b key={at}>{part}</b> : <span key={at}>{part}</span>))}
          {"\n"}
        </span>
      ))}
    </pre>
  ));
}
