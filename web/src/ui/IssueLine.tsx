import type { Issue } from "../api/client";

/** An issue in words and how to mend it, alike wherever it stands. */
export function IssueLine({ issue }: { issue: Issue }) {
  return (
    <p className="issue-line" data-severity={issue.severity} data-kind={issue.kind}>
      <span className="issue-words">{issue.words}.</span>
      {issue.mend && <span className="soft"> {issue.mend}</span>}
    </p>
  );
}

/** An issue in few words; how to mend it is told on demand. */
export function IssueWord({ issue }: { issue: Issue }) {
  return (
    <span className="issue-word" data-severity={issue.severity} title={issue.mend ?? undefined}>
      {issue.words}
    </span>
  );
}
