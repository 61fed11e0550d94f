import { Button, Checkbox, Input } from "antd";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import type { NewPublication, PublicationList } from "../api/client";
import { useLayouts } from "../api/useLayouts";
import { count, moment } from "../ui/figures";
import { MultiSelect } from "../ui/MultiSelect";
import { ProblemNote } from "../ui/ProblemNote";
import { Tally } from "../ui/Tally";
import { useAddress } from "../ui/useAddress";
import { useTitle } from "../ui/useTitle";
import { WaitingRows } from "../ui/Waiting";
import "./publish.css";
import { ScreenWords } from "./ScreenWords";
import { keepName, lastName } from "./ownName";
import { usePrepare, usePublications } from "./usePublications";
import { nameOf, STATES, sumWords } from "./words";
import { DoneTable } from "../ui/DoneTable";

/** What could go to the site, and what went there. */
export function PublishPage() {
  useTitle("Publish");
  const list = usePublications();
  return (
    <>
      <div className="work">
        <main>
          <div className="bar">
            <h1>Publish</h1>
            <span className="soft">
              what was made goes to the site’s own pages; nothing is written before you saw it
            </span>
          </div>
          {list.error && <ProblemNote error={list.error} again={() => void list.refetch()} />}
          {list.isPending && <WaitingRows />}
          {list.data && !list.data.folder && (
            <div className="empty">
              <h2>No folder for this site</h2>
              <span className="soft">
                Name the folder that its files are served from in the <Link to="?sheet=site">site settings</Link>. For a
                site elsewhere, select pictures in the <Link to="/library">library</Link> and download a package: files,
                markup and credits.
              </span>
            </div>
          )}
          {list.data?.folder && (
            <div className="publish">
              <NewPublicationForm list={list.data} />
              <History list={list.data} />
            </div>
          )}
        </main>
      </div>
      <Tally of={{ filter: {} }} where="in the library" />
    </>
  );
}

/** What is to be published, and where to. */
function NewPublicationForm({ list }: { list: PublicationList }) {
  const [address, change] = useAddress();
  const navigate = useNavigate();
  const layouts = useLayouts();
  const prepare = usePrepare();
  const [folder, setFolder] = useState(list.files_in);
  const [mayMove, setMayMove] = useState(false);
  const [name, setName] = useState(lastName);
  const pages = address.getAll("page");
  const pictures = address.getAll("picture");
  const run = address.get("run");
  const busy = list.publications.find((one) => one.is_under_way);
  const wish: NewPublication = {
    folder,
    may_move: mayMove,
    pages: pages.length > 0 ? pages : null,
    pictures: pictures.length > 0 ? pictures : null,
    run,
    name: run ? (address.get("name") ?? "") : "",
    asked_by: name,
  };
  return (
    <form
      className="publish-wish"
      onSubmit={(event) => {
        event.preventDefault();
        if (busy) return;
        keepName(name);
        prepare.mutate(wish, { onSuccess: ({ id }) => void navigate(`/publish/${id}`) });
      }}
    >
      <p className="ready-words" data-testid="ready">
        <b>{count(list.ready, "place")}</b> ready to publish
        {list.shown > 0 && <>, {list.shown.toLocaleString("en")} published</>}
        {list.unmade > 0 && (
          <>
            ; {count(list.unmade, "place")} with missing files: <Link to="/library">make them by a run</Link>
          </>
        )}
      </p>
      {list.newer > 0 && (
        <p className="ready-words" data-testid="newer">
          <b>{count(list.newer, "published place")}</b> with newer files since: publish again
        </p>
      )}
      {list.changed > 0 && (
        <p className="ready-words" data-testid="changed">
          <b>{count(list.changed, "published place")}</b> may need newer files: <Link to="/library">a run</Link> tells,
          and makes them
        </p>
      )}
      {(run !== null || pictures.length > 0) && (
        <p className="soft">
          {run !== null ? "Only what the run made" : `Only ${count(pictures.length, "picture")}, wherever shown`}
          <button
            type="button"
            className="quiet-button"
            onClick={() => {
              change({ run: undefined, picture: undefined, name: undefined });
            }}
          >
            all that is ready instead
          </button>
        </p>
      )}
      <div className="part">
        <label htmlFor="publish-pages">On these pages</label>
        <MultiSelect
          id="publish-pages"
          value={pages}
          placeholder="every page"
          showSearch={{ optionFilterProp: "label" }}
          options={(layouts.data?.pages ?? []).map(({ id, name }) => ({ value: id, label: name }))}
          onChange={(page) => {
            change({ page });
          }}
        />
      </div>
      <div className="part">
        <label htmlFor="publish-folder">Files go to</label>
        <Input
          id="publish-folder"
          value={folder}
          onChange={({ target }) => {
            setFolder(target.value);
          }}
        />
        <span className="soft folder-path">
          in <bdi>{list.folder}</bdi>
        </span>
      </div>
      <div className="part">
        <label htmlFor="publish-by">Your name</label>
        <Input
          id="publish-by"
          value={name}
          maxLength={200}
          placeholder="for the history; may stay empty"
          onChange={({ target }) => {
            setName(target.value);
          }}
        />
      </div>
      <Checkbox
        checked={mayMove}
        onChange={({ target }) => {
          setMayMove(target.checked);
        }}
      >
        Other things on a page may move
      </Checkbox>
      <span>
        <Button
          type="primary"
          htmlType="submit"
          loading={prepare.isPending}
          disabled={busy !== undefined}
          title={busy && `“${nameOf(busy)}” is ${STATES[busy.state]}`}
        >
          Prepare
        </Button>
      </span>
      <p className="soft">
        Preparing opens each page in a browser as it is and as it would be, and compares every box. A place that would
        move something is left as it is.
      </p>
      {prepare.error && <ProblemNote error={prepare.error} />}
    </form>
  );
}

/** What was prepared and published, the newest first. */
function History({ list }: { list: PublicationList }) {
  if (list.publications.length === 0)
    return (
      <div className="empty">
        <h2>Nothing was published yet</h2>
        <span className="soft">
          Prepare shows what would change: each line of each page, and each page before and after. Every publication can
          be taken back to the byte, at any later time.
        </span>
      </div>
    );
  return (
    <div className="publish-history">
      <DoneTable columns={["Publication", "State", "Changes", { figures: "Pictures of all pages" }]}>
        {list.publications.map((publication) => {
          const [screen] = publication.sums?.screens ?? [];
          const at = publication.taken_back_at ?? publication.published_at ?? publication.created_at;
          return (
            <tr key={publication.id} data-state={publication.state}>
              <td>
                <Link to={`/publish/${publication.id}`}>
                  <bdi>{nameOf(publication)}</bdi>
                </Link>
              </td>
              <td>
                {STATES[publication.state]}{" "}
                <span className="soft">
                  <span className="figure">{moment(at)}</span>
                  {publication.asked_by && (
                    <>
                      {" "}
                      by <bdi>{publication.asked_by}</bdi>
                    </>
                  )}
                </span>
              </td>
              <td>{publication.sums ? sumWords(publication.sums) : "–"}</td>
              <td className="right">{screen ? <ScreenWords screen={screen} /> : "–"}</td>
            </tr>
          );
        })}
      </DoneTable>
    </div>
  );
}
