import type { IssueKind, Picture } from "../api/client";

/** What is worth mending of a picture's alt text. */
export const altIssues = ({ issues }: Picture) => issues.filter(({ place }) => place.on === "alt-text");

/** Issues that all of several pictures have: of each single one they tell nothing. */
export function commonIssues(pictures: Picture[]): ReadonlySet<IssueKind> {
  const [first, ...others] = pictures;
  if (!first || others.length === 0) return new Set();
  const has = (picture: Picture, kind: IssueKind) => picture.issues.some((issue) => issue.kind === kind);
  return new Set(first.issues.map(({ kind }) => kind).filter((kind) => others.every((one) => has(one, kind))));
}
