import { Button } from "antd";
import { Link } from "react-router";
import type { WholePublication } from "../api/client";
import { useKey } from "../ui/useKey";
import { useForgetPublication, type Act, type useActOnPublication } from "./usePublications";
import { nameOf, STATES, whyNotPublish } from "./words";

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
  const hindrance = whyNotPublish(publication);
  useKey((event) => {
    if (event.key === "u" && state === "published") act.mutate("take-back");
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
      {(state === "ready" || state === "outdated" || state === "failed") && (
        <>
          <Button
            title="Nothing of it is on the site; it can be prepared again"
            loading={forget.isPending}
            onClick={() => {
              forget.mutate(undefined, { onSuccess: onForgotten });
            }}
          >
            Forget it
          </Button>
          {button("prepare", "Prepare again", { primary: state !== "ready" })}
        </>
      )}
      {state === "ready" &&
        button("publish", "Publish now", {
          primary: true,
          title: "Files first, then style sheets, then pages; it can be taken back to the byte",
          ...(hindrance === undefined ? {} : { hindrance }),
        })}
      {state === "interrupted" && button("publish", "Go on", { primary: true })}
      {(state === "published" || state === "interrupted") &&
        button("take-back", "Take back", {
          title: "All files as they were before; what somebody else changed since is left alone",
        })}
      {state === "partly-back" &&
        button("take-all-back", "Take back theirs, too", {
          title: "What somebody else changed since is lost: these files as they were before",
        })}
    </div>
  );
}
