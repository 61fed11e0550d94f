import { useQuery } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import { count } from "../ui/figures";

/** The site's own folder: what was found in it, and what was not taken and why. */
export function SiteFolder() {
  const folder = useQuery({
    queryKey: ["site-folder"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/site-folder", { signal })),
  });
  if (!folder.data) return null;
  const { folder: path, taken, waiting, refused, problem } = folder.data;
  return (
    <section className="sheet-part">
      <h2>The site’s own folder</h2>
      {!path && (
        <span className="soft">
          None is set. Enter it in the site settings, to have pictures noticed that others put there.
        </span>
      )}
      {path && (
        <span className="soft">
          Watched; only a publication writes to it: <code>{path}</code>
        </span>
      )}
      {problem && (
        <span>
          <b>Cannot be read:</b> {problem}
        </span>
      )}
      {path && (
        <span>
          {count(taken, "file")} in the library
          {waiting.length > 0 && `, ${count(waiting.length, "file")} still being written`}
        </span>
      )}
      {refused.length > 0 && (
        <details>
          <summary>{count(refused.length, "file")} not added</summary>
          <ul className="name-list">
            {refused.map(({ path: below, reason }) => (
              <li key={below}>
                <b>
                  <bdi>{below}</bdi>
                </b>{" "}
                {reason}
              </li>
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}
