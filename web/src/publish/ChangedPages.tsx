import { Segmented } from "antd";
import { siteApi, type WholePublication } from "../api/client";
import { ProblemNote } from "../ui/ProblemNote";
import { useAddress } from "../ui/useAddress";
import { useKey } from "../ui/useKey";
import { WaitingRows } from "../ui/Waiting";
import { FilmStrip } from "./FilmStrip";
import { Lines } from "./Lines";
import { ScreenWords } from "./ScreenWords";
import { useFileDifferences } from "./usePublications";

type Show = "both" | "before" | "after" | "lines" | "film";

const SHOWN: { value: Show; label: string }[] = [
  { value: "both", label: "Side by side" },
  { value: "before", label: "Before" },
  { value: "after", label: "After" },
  { value: "lines", label: "Lines" },
  { value: "film", label: "Film strip" },
];

/** The pages and style sheets that change, and of one of them what. */
export function ChangedPages({ publication }: { publication: WholePublication }) {
  const [address, change] = useAddress();
  const { pages, report } = publication;
  const styles = (report?.files ?? []).filter(({ kind }) => kind === "style").map(({ path }) => path);
  const all = [...pages.map(({ page }) => page), ...styles];
  const chosen = address.get("page") ?? all[0];
  useKey((event) => {
    if (event.key !== "n" || all.length === 0) return;
    change({ page: all[(all.indexOf(chosen ?? "") + 1) % all.length] });
  });
  if (all.length === 0)
    return (
      <div className="empty">
        <h2>No page changes</h2>
        <span className="soft">See what is left as it is, and why.</span>
      </div>
    );
  return (
    <div className="changed-pages">
      <nav aria-label="Pages that change" className="page-list">
        {pages.map(({ page, screens }) => (
          <button
            type="button"
            key={page}
            aria-current={page === chosen}
            onClick={() => {
              change({ page });
            }}
          >
            <bdi>{page}</bdi>
            {screens[0] && <ScreenWords screen={screens[0]} named={false} />}
          </button>
        ))}
        {styles.map((path) => (
          <button
            type="button"
            key={path}
            aria-current={path === chosen}
            onClick={() => {
              change({ page: path });
            }}
          >
            <bdi>{path}</bdi>
            <span className="soft">style sheet</span>
          </button>
        ))}
      </nav>
      {chosen && <ChangedPage key={chosen} publication={publication} path={chosen} />}
    </div>
  );
}

function ChangedPage({ publication, path }: { publication: WholePublication; path: string }) {
  const [address, change] = useAddress();
  const page = publication.pages.find(({ page }) => page === path);
  const shots = page?.shots ?? [];
  const written = publication.report?.files.some((file) => file.path === path) ?? false;
  const asked = (address.get("show") ?? "both") as Show;
  const show: Show = shots.length === 0 ? "lines" : asked;
  const width = Number(address.get("width") ?? shots[0]?.width);
  const shot = shots.find((one) => one.width === width) ?? shots[0];
  return (
    <section className="changed-page" aria-label={path}>
      <div className="bar">
        <Segmented<Show>
          size="small"
          aria-label="How it is shown"
          value={show}
          options={shots.length > 0 ? SHOWN : SHOWN.filter(({ value }) => value === "lines")}
          onChange={(show) => {
            change({ show: show === "both" ? undefined : show });
          }}
        />
        {show !== "lines" && shot && (
          <Segmented<number>
            size="small"
            aria-label="Layout width"
            value={shot.width}
            options={shots.map(({ width }) => ({ value: width, label: `${width} px` }))}
            onChange={(width) => {
              change({ width });
            }}
          />
        )}
        <span className="gap" />
        {shot && show !== "lines" && show !== "film" && <CameWords shot={shot} />}
        {page?.screens.map((screen) => (
          <ScreenWords key={screen.width} screen={screen} />
        ))}
      </div>
      {show === "lines" ? (
        written ? (
          <FileLines id={publication.id} path={path} />
        ) : (
          <p className="empty soft">Nothing of this page is written: a style sheet changes what it shows.</p>
        )
      ) : show === "film" ? (
        shot && <FilmStrip publication={publication.id} page={path} width={shot.width} />
      ) : (
        shot && (
          <div className="page-shots" data-show={show} tabIndex={0} role="group" aria-label="Pictures of the page">
            {show !== "after" && (
              <figure>
                <figcaption>Before</figcaption>
                <img
                  alt={`${path} as it was, ${shot.width} px wide`}
                  src={`${siteApi}/publications/${publication.id}/shots/${shot.before}`}
                />
              </figure>
            )}
            {show !== "before" && (
              <figure>
                <figcaption>After</figcaption>
                <img
                  alt={`${path} as it would be, ${shot.width} px wide`}
                  src={`${siteApi}/publications/${publication.id}/shots/${shot.after}`}
                />
              </figure>
            )}
          </div>
        )
      )}
    </section>
  );
}

type Shots = WholePublication["pages"][number]["shots"][number];

/** How the page comes at this layout width: whether it jumps, and when its largest part is painted. */
function CameWords({ shot: { shift, largest } }: { shot: Shots }) {
  return (
    <span className="soft came-words" title="Layout shift and largest contentful paint, on this machine">
      layout shift <span className="figure">{shift.before.toFixed(2)}</span> →{" "}
      <span className="figure">{shift.after.toFixed(2)}</span>
      {largest && (
        <>
          , LCP <span className="figure">{Math.round(largest.before)}</span> →{" "}
          <span className="figure">{Math.round(largest.after)} ms</span>
        </>
      )}
    </span>
  );
}

function FileLines({ id, path }: { id: string; path: string }) {
  const file = useFileDifferences(id, path);
  if (file.error) return <ProblemNote error={file.error} again={() => void file.refetch()} />;
  if (!file.data) return <WaitingRows rows={6} />;
  return (
    <div className="file-lines" tabIndex={0} role="group" aria-label="Lines that differ">
      {file.data.since && (
        <>
          <h2>{file.data.is_gone ? "Somebody else removed it since" : "What somebody else changed since"}</h2>
          {!file.data.is_gone && <Lines of={file.data.since} />}
          <h2>What this publication changes</h2>
        </>
      )}
      <Lines of={file.data.own} />
    </div>
  );
}
