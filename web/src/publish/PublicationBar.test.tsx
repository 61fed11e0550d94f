import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, screen } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { expect, test } from "vitest";
import type { WholePublication } from "../api/client";
import { PublicationBar } from "./PublicationBar";
import { useActOnPublication } from "./usePublications";

const PUBLICATION: WholePublication = {
  id: "one",
  name: "Winter pages",
  wish: { folder: "variants", may_move: false, pages: null, pictures: null, without: [] },
  state: "ready",
  is_under_way: false,
  acts: ["prepare", "publish"],
  can_be_forgotten: true,
  left_alone: [],
  left_formats: [],
  host_notes: [],
  asked_by: "",
  created_at: "2026-11-27T09:00:00Z",
  pages: [],
  names: {},
  sums: {
    pages: 1,
    styles: 0,
    added: 4,
    replaced: 0,
    places: 1,
    left: 0,
    failures: 0,
    otherwise: 0,
    jumping: 0,
    screens: [],
  },
};

function Bar({ publication }: { publication: WholePublication }) {
  return <PublicationBar publication={publication} act={useActOnPublication("one")} onForgotten={() => undefined} />;
}

/** The names of the buttons that can be pressed. */
function offered(change: Partial<WholePublication>) {
  const { unmount } = render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter>
        <Bar publication={{ ...PUBLICATION, ...change }} />
      </MemoryRouter>
    </QueryClientProvider>,
  );
  const buttons = screen.getAllByRole("button");
  const names = buttons.filter((one) => !(one as HTMLButtonElement).disabled).map((one) => one.textContent);
  unmount();
  return names;
}

test("what may be done is what the server says", () => {
  expect(offered({})).toEqual(["Delete", "Prepare again", "Publish now"]);
  const published = { state: "published", acts: ["take-back"], can_be_forgotten: false } as const;
  expect(offered({ ...published, acts: [...published.acts] })).toEqual(["Take back"]);
  expect(offered({ state: "interrupted", acts: ["publish", "take-back"], can_be_forgotten: false })).toEqual([
    "Resume",
    "Take back",
  ]);
});

test("one that changes nothing cannot be published, and says so", () => {
  const sums = {
    pages: 0,
    styles: 0,
    added: 0,
    replaced: 0,
    places: 0,
    left: 3,
    failures: 0,
    otherwise: 0,
    jumping: 0,
    screens: [],
  };
  expect(offered({ sums })).toEqual(["Delete", "Prepare again"]);
});

test("where something looks otherwise, that is said and can be published anyway", () => {
  expect(offered({ doubts: "1 place looks otherwise" })).toEqual(["Delete", "Prepare again", "Publish anyway"]);
});
