import { Button, Segmented } from "antd";
import { lazy, Suspense, useMemo, useState } from "react";
import { Link, useNavigate } from "react-router";
import type { FilterBody, Which } from "../api/client";
import { count } from "../ui/figures";
import { MenuButton } from "../ui/MenuButton";
import { Opened } from "../ui/Opened";
import { ProblemNote } from "../ui/ProblemNote";
import { Tally, useTally } from "../ui/Tally";
import { useAddress } from "../ui/useAddress";
import { useTitle } from "../ui/useTitle";
import { useWindowAtLeast } from "../ui/useWidth";
import { WaitingRows } from "../ui/Waiting";
import { ChooseFiles } from "./ChooseFiles";
import { FilterBar } from "./FilterBar";
import { PictureGrid } from "./PictureGrid";
import { CollectionMenu } from "./ShelfMenu";
import { SideList } from "./SideList";
import { usePictures } from "../api/usePictures";
import { useBringBack, useCollect, useShelves } from "./useLibrary";
import { useListAddress, type View } from "./useListAddress";
import { usePackage } from "./usePackage";
import { useSelection } from "./useSelection";

// What is not the list itself comes when it is opened.
const BannerSheet = lazy(() => import("./BannerSheet").then(({ BannerSheet }) => ({ default: BannerSheet })));
const CollectSheet = lazy(() => import("./CollectSheet").then(({ CollectSheet }) => ({ default: CollectSheet })));
const ContactSheet = lazy(() => import("./ContactSheet").then(({ ContactSheet }) => ({ default: ContactSheet })));
const DescribeGrid = lazy(() => import("./DescribeGrid").then(({ DescribeGrid }) => ({ default: DescribeGrid })));
const DescribeSheet = lazy(() => import("./DescribeSheet").then(({ DescribeSheet }) => ({ default: DescribeSheet })));
const ApplyEditsSheet = lazy(() =>
  import("./ApplyEditsSheet").then(({ ApplyEditsSheet }) => ({ default: ApplyEditsSheet })),
);
const RemoveSheet = lazy(() => import("./RemoveSheet").then(({ RemoveSheet }) => ({ default: RemoveSheet })));
const PictureSize = lazy(() => import("./PictureSize").then(({ PictureSize }) => ({ default: PictureSize })));
const ShelfSelect = lazy(() => import("./ShelfSelect").then(({ ShelfSelect }) => ({ default: ShelfSelect })));
const TableSheet = lazy(() => import("./TableSheet").then(({ TableSheet }) => ({ default: TableSheet })));

/** From which width of the window, in CSS px, the parts of the library stand beside it. */
const SIDE_LIST_FROM = 1200;
const VIEW_WORDS: { label: string; value: View }[] = [
  { label: "Rows", value: "rows" },
  { label: "Contact sheet", value: "pictures" },
  { label: "Edit details", value: "write" },
];

type Sheet = "describe" | "collect" | "remove" | "table" | "finish" | "banner";

/** The library: every original, how it stands, and what is worth doing with it. */
export function LibraryPage() {
  useTitle("Library");
  const navigate = useNavigate();
  const place = useListAddress();
  const { own, filter, search, order, view, side } = place;
  const [address, changeAddress] = useAddress();
  const [sheet, setSheet] = useState<Sheet | undefined>(address.get("new") === "banner" ? "banner" : undefined);
  const isWide = useWindowAtLeast(SIDE_LIST_FROM);
  const list = usePictures(filter, order);
  const name = JSON.stringify([filter, order, view]);
  const pictures = useMemo(() => list.data?.pages.flatMap((page) => page.pictures) ?? [], [list.data]);
  const selection = useSelection(
    useMemo(() => pictures.map(({ id }) => id), [pictures]),
    filter,
    !list.isPlaceholderData,
  );
  const inView = useTally({ filter });
  const total = inView.data?.pictures ?? pictures.length;
  const chosen = selection.everything ? total : selection.ids.size;
  const open = (id: string) => void navigate(`/library/${id}`);
  const shelves = useShelves();
  const collect = useCollect();
  const collection = shelves.data?.collections.find((one) => one.id === own.collection)?.name;
  // Places are changed where all of them are in view in their own order.
  const movable = collection !== undefined && order.sort === "collection" && !list.hasNextPage && !search;
  const move = (from: number, to: number) => {
    const seen = pictures.map(({ id }) => id);
    const ids = [...seen];
    const [moved] = ids.splice(from, 1);
    if (collection === undefined || moved === undefined) return;
    ids.splice(to, 0, moved);
    collect.mutate({ name: collection, which: { ids }, add: false, seen });
  };
  const onEnd = () => {
    if (list.hasNextPage && !list.isFetching) void list.fetchNextPage();
  };
  const narrow = (next: FilterBody) => {
    selection.clear();
    place.onFilter(next);
  };
  const close = () => {
    setSheet(undefined);
    if (address.has("new")) changeAddress({ new: undefined });
  };

  return (
    <>
      <div className="work">
        {isWide && <SideList filter={filter} />}
        <main>
          <div className="bar">
            <h1>Library</h1>
            {!isWide && (
              <Suspense>
                <ShelfSelect filter={own} onFilter={narrow} />
              </Suspense>
            )}
            <Segmented aria-label="View" options={VIEW_WORDS} value={view} onChange={place.onView} />
            {view === "pictures" && (
              <Suspense>
                <PictureSize side={side} onSide={place.onSide} />
              </Suspense>
            )}
            {own.collection && collection !== undefined && (
              <CollectionMenu
                shelf={{ kind: "collection", id: own.collection, name: collection }}
                onGone={() => {
                  narrow({});
                }}
              />
            )}
            {search && (
              <span className="soft">
                with “<bdi>{search}</bdi>”
              </span>
            )}
            <span className="gap" />
            {!isWide && <Link to="/library/alike">Look-alikes</Link>}
            <Button
              title="Descriptions as a table, out and in"
              onClick={() => {
                setSheet("table");
              }}
            >
              Table…
            </Button>
            <Button
              onClick={() => {
                setSheet("banner");
              }}
            >
              New banner…
            </Button>
            <ChooseFiles />
          </div>
          <FilterBar filter={filter} own={own} onFilter={narrow} />
          {list.error && <ProblemNote error={list.error} again={() => void list.refetch()} />}
          {list.isPending && <WaitingRows rows={12} />}
          {list.isSuccess && pictures.length === 0 && (
            <EmptyLibrary
              filter={filter}
              onAll={() => {
                narrow({});
              }}
            />
          )}
          {pictures.length > 0 && view === "rows" && (
            <PictureGrid
              pictures={pictures}
              total={total}
              selection={selection}
              order={order}
              onOrder={place.onOrder}
              list={name}
              at={place.at}
              onAt={place.onAt}
              onOpen={open}
              onEnd={onEnd}
              {...(movable && { onMove: move })}
            />
          )}
          <Suspense fallback={<WaitingRows rows={12} />}>
            {pictures.length > 0 && view === "pictures" && (
              <ContactSheet
                pictures={pictures}
                selection={selection}
                side={side}
                list={name}
                at={place.at}
                onAt={place.onAt}
                onOpen={open}
                onEnd={onEnd}
              />
            )}
            {pictures.length > 0 && view === "write" && (
              <DescribeGrid
                key={JSON.stringify([filter, order])}
                pictures={pictures}
                onEnd={onEnd}
                onLeave={() => {
                  place.onView("rows");
                }}
              />
            )}
          </Suspense>
        </main>
      </div>
      <Tally
        of={selection.everything ? { filter } : chosen > 0 ? { ids: [...selection.ids] } : { filter }}
        where={chosen > 0 ? "selected" : "in view"}
      >
        {chosen > 0 && <Button onClick={selection.clear}>Clear selection</Button>}
        {chosen > 0 && !selection.everything && total > chosen && (
          <Button onClick={selection.all}>Select all {total.toLocaleString("en")}</Button>
        )}
        <Actions
          which={selection.which}
          chosen={chosen}
          first={selection.everything ? undefined : [...selection.ids][0]}
          removed={own.removed ?? false}
          onSheet={setSheet}
          onOpen={(id) => void navigate(`/bench/${id}`)}
          onRun={() => void navigate("/runs/new", { state: { which: selection.which } })}
          onDone={selection.clear}
        />
      </Tally>
      <Opened open={sheet === "describe"}>
        <DescribeSheet which={sheet === "describe" ? selection.which : undefined} pictures={chosen} onClose={close} />
      </Opened>
      <Opened open={sheet === "collect"}>
        <CollectSheet which={sheet === "collect" ? selection.which : undefined} pictures={chosen} onClose={close} />
      </Opened>
      <Opened open={sheet === "remove"}>
        <RemoveSheet
          which={sheet === "remove" ? selection.which : undefined}
          onDone={() => {
            close();
            selection.clear();
          }}
          onClose={close}
        />
      </Opened>
      <Opened open={sheet === "finish"}>
        <ApplyEditsSheet which={sheet === "finish" ? selection.which : undefined} pictures={chosen} onClose={close} />
      </Opened>
      <Opened open={sheet === "banner"}>
        <BannerSheet open={sheet === "banner"} onClose={close} />
      </Opened>
      <Opened open={sheet === "table"}>
        <TableSheet open={sheet === "table"} filter={filter} onClose={close} />
      </Opened>
    </>
  );
}

interface ActionsProps {
  which: Which | undefined;
  chosen: number;
  first: string | undefined;
  removed: boolean;
  onSheet: (sheet: Sheet) => void;
  onOpen: (id: string) => void;
  onRun: () => void;
  onDone: () => void;
}

/** What can be done with the selection; where nothing is, says how to begin. */
function Actions({ which, chosen, first, removed, onSheet, onOpen, onRun, onDone }: ActionsProps) {
  const back = useBringBack();
  const pack = usePackage();
  if (!which) return <Button disabled>Select pictures to work on them</Button>;
  if (removed) {
    return (
      <Button
        type="primary"
        loading={back.isPending}
        onClick={() => {
          back.mutate(which, { onSuccess: onDone });
        }}
      >
        Restore {count(chosen, "picture")}
      </Button>
    );
  }
  const run = (
    <Button
      type={chosen === 1 ? "default" : "primary"}
      title="Makes all their files, for every slot that shows them"
      onClick={onRun}
    >
      Run…
    </Button>
  );
  const more = [
    {
      key: "collect",
      label: "Collect…",
      onClick: () => {
        onSheet("collect");
      },
    },
    {
      key: "finish",
      label: "Apply edits to…",
      onClick: () => {
        onSheet("finish");
      },
    },
    {
      key: "package",
      label: "Download a package",
      onClick: () => {
        pack.mutate(which);
      },
    },
  ];
  return (
    <>
      <Button
        onClick={() => {
          onSheet("describe");
        }}
      >
        Describe…
      </Button>
      <Button
        onClick={() => {
          onSheet("remove");
        }}
      >
        Remove…
      </Button>
      <MenuButton items={more}>More…</MenuButton>
      {chosen === 1 && first !== undefined ? (
        <>
          {run}
          <Button
            type="primary"
            onClick={() => {
              onOpen(first);
            }}
          >
            Open on the bench
          </Button>
        </>
      ) : (
        run
      )}
    </>
  );
}

function EmptyLibrary({ filter, onAll }: { filter: FilterBody; onAll: () => void }) {
  const shelves = useShelves();
  if (filter.removed) {
    return (
      <div className="empty">
        <h2>Nothing was removed</h2>
        <span className="soft">What is removed can be restored from here, with its places.</span>
      </div>
    );
  }
  if (Object.keys(filter).length > 0 && shelves.data) {
    return (
      <div className="empty">
        <h2>No picture meets all of this</h2>
        <span className="soft">Remove a filter, or a part of the search.</span>
        <Button onClick={onAll}>Show all pictures</Button>
      </div>
    );
  }
  return (
    <div className="empty">
      <h2>No pictures yet</h2>
      <span className="soft">
        Drop files, folders or a zip anywhere in this window. The originals are kept as they are; each is analysed, and
        then this list shows its issues.
      </span>
      <ChooseFiles primary />
    </div>
  );
}
