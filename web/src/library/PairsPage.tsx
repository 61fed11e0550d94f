import { Button } from "antd";
import { Link } from "react-router";
import { previewUrl, type Pair, type Picture } from "../api/client";
import { bytes, count, formatName, pixels } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { Tally } from "../ui/Tally";
import { useTitle } from "../ui/useTitle";
import { useMerge, usePairs, useTellApart } from "./useLibrary";

/** Pictures that look the same, side by side: one of them is kept, or both are. */
export function PairsPage() {
  useTitle("Look-alikes");
  const pairs = usePairs();
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <h1>Look-alikes</h1>
            {pairs.data && <span className="soft">{count(pairs.data.length, "pair")}, the most alike first</span>}
            <span className="gap" />
            <Link to="/library">Back to the library</Link>
          </div>
          {pairs.error && <ProblemNote error={pairs.error} again={() => void pairs.refetch()} />}
          {pairs.isPending && <p className="empty soft">Comparing…</p>}
          {pairs.data?.length === 0 && (
            <div className="empty">
              <h2>No two pictures look the same</h2>
              <span className="soft">Files with the very same bytes are never kept twice.</span>
            </div>
          )}
          <ul className="pairs">
            {pairs.data?.map((pair) => (
              <PairRow key={`${pair.one.id} ${pair.other.id}`} pair={pair} />
            ))}
          </ul>
        </main>
      </div>
      <Tally of={{ filter: { issues: ["duplicate"] } }} where="look like another" />
    </>
  );
}

function PairRow({ pair: { one, other, words } }: { pair: Pair }) {
  const merge = useMerge();
  const apart = useTellApart();
  return (
    <li>
      <Side
        picture={one}
        onKeep={() => {
          merge.mutate({ kept: one.id, gone: [other.id] });
        }}
      />
      <div className="pair-middle">
        <b>{words}</b>
        <span className="soft">The one that is kept gets the places of the other, which is removed.</span>
        <Button
          loading={apart.isPending}
          onClick={() => {
            apart.mutate({ one: one.id, other: other.id, apart: true });
          }}
        >
          They are two pictures
        </Button>
      </div>
      <Side
        picture={other}
        onKeep={() => {
          merge.mutate({ kept: other.id, gone: [one.id] });
        }}
      />
    </li>
  );
}

function Side({ picture, onKeep }: { picture: Picture; onKeep: () => void }) {
  return (
    <div className="pair-side">
      <img src={previewUrl(picture.id, "thumbnail", picture.step)} alt="" loading="lazy" />
      <div>
        <Link to={`/library/${picture.id}`}>
          <bdi>{picture.name}</bdi>
        </Link>
        <span className="figure">
          {formatName[picture.format]} {pixels(picture.width, picture.height)} {bytes(picture.bytes)}
        </span>
        <span>{picture.uses === 0 ? "not used" : `in ${count(picture.uses, "place")}`}</span>
        <Button onClick={onKeep}>Keep this one</Button>
      </div>
    </div>
  );
}
