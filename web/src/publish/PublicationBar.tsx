import { Button } from "antd";
import { Link } from "react-router";
import type { WholePublication } from "../api/client";
import { useKey } from "../ui/useKey";
import { useForgetPublication, type Act, type useActOnPublication } from "./usePublications";
import { changesNothing, nameOf, STATES } from "./words";

interface Props {
  publication: WholePublication;
  act: ReturnType<typeof useActOnPublication>;
  onForgotten: () => void;
}

/** Where a publication stands, and what can be done with it. */
export function PublicationBar({ publication, act, onForgotten }: Props) {
  const { state } = publication;
  const forget = useForgetPublication(publication.id);
  const button = (what: Act, words: string, more: { title?: string; primary?: boolean; hindrance?: string } = {}) => (
    <Button
      type={more.primary ? "primary" : "default"}
      loading={act.isPending && act.variables === what}
      disabled={more.hindrance !== undefined}
      {...((more.hindrance ?? more.title) ? { title: more.hindrance ?? more.title } : {})}
      onClick={() => {
        act.mutate(what);
      }}
    >
      {words}
    </Button>
  );
  const may = (what: (typeof publication.acts)[number]) => publication.acts.includes(what);
  // Nothing of it would be written.
  const empty = publication.sums && changesNothing(publication.sums) ? { hindrance: "It changes nothing" } : {};
  const { doubts } = publication;
  useKey((event) => {
    if (event.key === "u" && may("take-back")) act.mutate("take-back");
  });
  return (
    <div className="bar">
      <h1 className="run-name" title={nameOf(publication)}>
        <bdi>{nameOf(publication)}</bdi>
      </h1>
      <span role="status" data-testid="publication-state">
        {STATES[state]}
      </span>
      <span className="gap" />
      <Link to="/publish">All publications</Link>
      {state === "preparing" && button("cancel", "Cancel")}
      {publication.can_be_forgotten && (
        <Button
          title="Nothing of it is on the site; it can be prepared again"
          loading={forget.isPending}
          onClick={() => {
            forget.mutate(undefined, { onSuccess: onForgotten });
          }}
        >
          Delete
        </Button>
      )}
      {may("prepare") && button("prepare", "Prepare again", { primary: !may("publish") })}
      {may("publish") &&
        button(
          doubts ? "publish-anyway" : "publish",
          doubts ? "Publish anyway" : state === "interrupted" ? "Resume" : "Publish now",
          {
            primary: !doubts,
            title: doubts
              ? `Although ${doubts}`
              : "Files first, then style sheets, then pages; it can be taken back to the byte",
            ...empty,
          },
        )}
      {may("take-back") &&
        button("take-back", "Take back", {
          title: "All files as they were before; what somebody else changed since is left alone",
        })}
      {may("take-all-back") &&
        button("take-all-back", "Take back theirs, too", {
          title: "What somebody else changed since is lost: these files as they were before",
        })}
    </div>
  );
}
