import { Button, Segmented } from "antd";
import { useState } from "react";
import { useNavigate } from "react-router";
import { ProblemNote } from "../ui/ProblemNote";
import { Tally } from "../ui/Tally";
import { ChooseFiles } from "./ChooseFiles";
import { PictureGrid } from "./PictureGrid";
import { usePictures, type Sort } from "./usePictures";
import { useSelection } from "./useSelection";

const SORTS: { label: string; value: Sort }[] = [
  { label: "Newest", value: "newest" },
  { label: "Name", value: "name" },
  { label: "Heaviest", value: "heaviest" },
];

/** The library: every original, what it weighs, and what was made of it. */
export function LibraryPage({ search }: { search: string }) {
  const navigate = useNavigate();
  const [sort, setSort] = useState<Sort>("newest");
  const list = usePictures(search, sort);
  const pictures = list.data?.pages.flatMap((page) => page.pictures) ?? [];
  const selection = useSelection(pictures.map(({ id }) => id));
  const open = (id: string) => void navigate(`/bench/${id}`);
  const chosen = [...selection.ids];

  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <h1>Library</h1>
            <Segmented aria-label="Order" options={SORTS} value={sort} onChange={setSort} />
            {search && <span className="soft">names with “<bdi>{search}</bdi>”</span>}
            <span className="gap" />
            <ChooseFiles />
          </div>
          {list.error && <ProblemNote error={list.error} again={() => void list.refetch()} />}
          {list.isPending && <p className="empty soft">Reading the library…</p>}
          {list.isSuccess && pictures.length === 0 && <EmptyLibrary search={search} />}
          {pictures.length > 0 && (
            <PictureGrid
              pictures={pictures}
              selection={selection}
              onOpen={open}
              onEnd={() => { if (list.hasNextPage && !list.isFetching) void list.fetchNextPage(); }}
            />
          )}
        </main>
      </div>
      <Tally ids={chosen.length > 0 ? chosen : undefined} where={chosen.length > 0 ? "selected" : "in the library"}>
        {chosen.length > 0 && <Button onClick={selection.clear}>Leave the selection</Button>}
        <OpenButton chosen={chosen} onOpen={open} />
      </Tally>
    </>
  );
}

/** Says by itself why it cannot be used. */
function OpenButton({ chosen, onOpen }: { chosen: string[]; onOpen: (id: string) => void }) {
  const [first, ...others] = chosen;
  if (first === undefined || others.length > 0) {
    return <Button disabled>{first === undefined ? "Select a picture to open it" : "The bench takes one picture"}</Button>;
  }
  return <Button type="primary" onClick={() => { onOpen(first); }}>Open on the bench</Button>;
}

function EmptyLibrary({ search }: { search: string }) {
  if (search) {
    return <div className="empty"><h2>No name holds “<bdi>{search}</bdi>”</h2><span className="soft">Search for a part of the file name, or clear the search.</span></div>;
  }
  return (
    <div className="empty">
      <h2>No pictures yet</h2>
      <span className="soft">
        Drop JPEG or PNG files anywhere in this window. The originals are kept as they are; then
        open one, type the size of its slot, and make its file.
      </span>
      <ChooseFiles primary />
    </div>
  );
}
