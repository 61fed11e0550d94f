import { lazy, Suspense, useState, type ReactNode } from "react";
import { siteApi } from "../api/client";
import { MenuButton } from "../ui/MenuButton";
import { useForgetCollection, useForgetFilter, type Shelf } from "./useLibrary";

const RenameSheet = lazy(() => import("./RenameSheet").then(({ RenameSheet }) => ({ default: RenameSheet })));

interface Props {
  shelf: Shelf;
  onGone: () => void;
}

/** What can be done with a collection as a whole. */
export function CollectionMenu({ shelf, onGone }: Props) {
  const forget = useForgetCollection();
  const order = `${siteApi}/collections/${shelf.id}/order`;
  const list = (of: string, words: string) => ({
    key: words,
    label: (
      <a href={of} download="order.txt">
        {words}
      </a>
    ),
  });
  return (
    <ShelfMenu
      shelf={shelf}
      words="Collection…"
      more={[
        list(order, "Download the order as a list"),
        list(`${order}?prefix=true`, "The same with numbers before the names"),
      ]}
      onDelete={() => {
        forget.mutate(shelf.id, { onSuccess: onGone });
      }}
    />
  );
}

/** What can be done with a saved filter. */
export function FilterMenu({ shelf }: { shelf: Shelf }) {
  const forget = useForgetFilter();
  return (
    <ShelfMenu
      shelf={shelf}
      words={`“${shelf.name}”…`}
      more={[]}
      onDelete={() => {
        forget.mutate(shelf.id);
      }}
    />
  );
}

interface MenuProps {
  shelf: Shelf;
  words: string;
  more: { key: string; label: ReactNode }[];
  onDelete: () => void;
}

function ShelfMenu({ shelf, words, more, onDelete }: MenuProps) {
  const [renaming, setRenaming] = useState(false);
  const items = [
    {
      key: "rename",
      label: "Rename…",
      onClick: () => {
        setRenaming(true);
      },
    },
    ...more,
    {
      key: "delete",
      label: shelf.kind === "collection" ? "Delete the collection (its pictures stay)" : "Delete the filter",
      onClick: onDelete,
    },
  ];
  return (
    <>
      <MenuButton items={items}>{words}</MenuButton>
      {renaming && (
        <Suspense>
          <RenameSheet
            shelf={shelf}
            onClose={() => {
              setRenaming(false);
            }}
          />
        </Suspense>
      )}
    </>
  );
}
