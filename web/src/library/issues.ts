import type { Picture } from "../api/client";

/** What is worth mending of a picture's alt text. */
export const altIssues = ({ issues }: Picture) => issues.filter(({ place }) => place.on === "alt-text");
