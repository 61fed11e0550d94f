import { Button, Select } from "antd";
import { siteApi, type Film } from "../api/client";
import { millis } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { useAddress } from "../ui/useAddress";
import { WaitingRows } from "../ui/Waiting";
import "../ui/tables.css";
import { useFilmPage, useFilms } from "./usePublications";

const USUAL = "1600/150";

interface Props {
  publication: string;
  /** The page, by its path. */
  page: string;
  /** The layout width, in CSS px. */
  width: number;
}

/** How a page comes before and after a publication: what is seen of it at the same moments. */
export function FilmStrip({ publication, page, width }: Props) {
  const [address, change] = useAddress();
  const films = useFilms(publication, page);
  const ask = useFilmPage(publication);
  const connection = address.get("connection") ?? USUAL;
  const film = films.data?.films.find((one) => one.width === width && one.connection.value === connection);
  const connections = films.data?.connections ?? [];
  const words = connections.find(({ value }) => value === connection)?.words ?? connection;
  const error = films.error ?? ask.error;
  return (
    <div className="film">
      <div className="film-bar">
        <Select
          aria-label="Connection"
          value={connection}
          popupMatchSelectWidth={false}
          options={[
            // One by figures of somebody's own comes from the page's margins.
            ...(connections.some(({ value }) => value === connection) ? [] : [{ value: connection, words }]),
            ...connections,
          ].map(({ value, words }) => ({ value, label: words }))}
          onChange={(next) => {
            change({ connection: next === USUAL ? undefined : next });
          }}
        />
        <Button
          loading={ask.isPending}
          disabled={film?.is_filming ?? false}
          title={film?.is_filming ? "It is filmed already" : "Loads the page before and after, one after the other"}
          onClick={() => {
            ask.mutate({ page, width, connection });
          }}
        >
          {film ? "Film again" : "Film the load"}
        </Button>
        {film?.is_filming && (
          <span role="status">
            Filming at {words}: the page is loaded as it was, then as it would be. Background tells how far it is, and
            can cancel it.
          </span>
        )}
      </div>
      {error && <ProblemNote error={error} again={() => void films.refetch()} />}
      {films.isPending && <WaitingRows rows={3} />}
      {film?.reason && (
        <div className="notice" role="alert">
          <b>Not filmed:</b>
          <span>{film.reason}</span>
        </div>
      )}
      {film?.strip && <Strip publication={publication} film={film} strip={film.strip} />}
      {films.data && !film && (
        <p className="soft">
          Not filmed at {width} px and {words} yet. A browser that holds back what comes loads the page before and
          after; what is seen at the same moments stands here then.
        </p>
      )}
    </div>
  );
}

/** `0.05 s`, `2 s`. */
const seconds = (ms: number) => `${Number((ms / 1e3).toFixed(2))} s`;

const SIDES = [
  { side: "before", label: "Before" },
  { side: "after", label: "After" },
] as const;

function Strip({ publication, film, strip }: { publication: string; film: Film; strip: NonNullable<Film["strip"]> }) {
  const src = (hash: string) => `${siteApi}/publications/${publication}/films/${film.id}/${hash}`;
  return (
    <>
      <div className="film-strip" tabIndex={0} role="group" aria-label="Film strip">
        <table>
          <thead>
            <tr>
              <th scope="col">
                <span className="unseen">Load</span>
              </th>
              {strip.moments.map(({ at }) => (
                <th scope="col" key={at} className="figure">
                  {seconds(at)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {SIDES.map(({ side, label }) => {
              const { largest } = strip[side];
              const marked = largest == null ? -1 : strip.moments.findIndex(({ at }) => at >= largest);
              return (
                <tr key={side}>
                  <th scope="row">{label}</th>
                  {strip.moments.map((moment, n) => {
                    const hash = moment[side];
                    return (
                      <td key={moment.at} data-lcp={n === marked || undefined}>
                        {hash ? (
                          <img alt={`${label}, ${seconds(moment.at)} after the start`} src={src(hash)} />
                        ) : (
                          <span className="soft">blank</span>
                        )}
                        {n === marked && <b>LCP</b>}
                      </td>
                    );
                  })}
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      <dl className="film-times">
        {SIDES.map(({ side, label }) => {
          const { first_paint, largest, last_file } = strip[side];
          return (
            <div key={side}>
              <dt>{label}</dt>
              <dd>
                {first_paint != null && (
                  <>
                    first paint <span className="figure">{millis(first_paint)}</span>,{" "}
                  </>
                )}
                {largest != null && (
                  <>
                    LCP <span className="figure">{millis(largest)}</span>,{" "}
                  </>
                )}
                last file <span className="figure">{millis(last_file)}</span>
              </dd>
            </div>
          );
        })}
      </dl>
      <p className="soft">
        At {film.connection.words}, {film.width} px and 2x, by a browser that throttles itself: without the hand-shakes
        and the slow start of a real connection.
      </p>
    </>
  );
}
