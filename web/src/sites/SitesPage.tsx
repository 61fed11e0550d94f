import { Button } from "antd";
import { useState } from "react";
import type { ListedSite } from "../api/client";
import { count } from "../ui/figures";
import { MarginBar, MarginWords } from "../ui/MarginBar";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import { AddSite } from "./AddSite";
import "./sites.css";
import { useChangesOfAll, useSiteActions, useSites } from "./useSites";

/** All sites: how each does, what is running, and a new one. */
export function SitesPage() {
  useChangesOfAll();
  const sites = useSites();
  const { remove, restore } = useSiteActions();
  const [adding, setAdding] = useState(false);
  const [leaving, setLeaving] = useState<ListedSite>();
  const here = sites.data?.filter((site) => site.removed_at == null) ?? [];
  const removed = sites.data?.filter((site) => site.removed_at != null) ?? [];
  const error = sites.error ?? remove.error ?? restore.error;
  const isFirst = sites.data !== undefined && here.length === 0;
  return (
    <div className="sites">
      <header className="top">
        <span className="mark">Brisk Margin</span>
        <span className="gap" />
        {!isFirst && (
          <Button
            type="primary"
            onClick={() => {
              setAdding((adding) => !adding);
            }}
          >
            Add site
          </Button>
        )}
      </header>
      <main>
        {error && <ProblemNote error={error} />}
        {(isFirst || adding) && <AddSite isFirst={isFirst} others={here} />}
        {sites.isPending && <p className="soft">Looking for sites…</p>}
        {here.length > 0 && (
          <table className="sites-table">
            <thead>
              <tr>
                <th scope="col">Site</th>
                <th scope="col" className="right">
                  Pictures
                </th>
                <th scope="col" className="right">
                  Pages
                </th>
                <th scope="col">Margin of its pages</th>
                <th scope="col">To mend</th>
                <th scope="col">In the background</th>
                <th scope="col" aria-label="Actions" />
              </tr>
            </thead>
            <tbody>
              {here.map((site) => (
                <SiteRow
                  key={site.slug}
                  site={site}
                  onRemove={() => {
                    setLeaving(site);
                  }}
                />
              ))}
            </tbody>
          </table>
        )}
        {removed.length > 0 && (
          <section aria-label="Removed sites">
            <h2>Removed</h2>
            {removed.map((site) => (
              <p key={site.slug} className="removed-site">
                <span>{site.name}</span>
                <span className="soft">
                  {site.removed_at != null && `removed ${day(site.removed_at)}, kept for 90 days`}
                </span>
                <Button
                  size="small"
                  onClick={() => {
                    restore.mutate(site.slug);
                  }}
                >
                  Restore
                </Button>
              </p>
            ))}
          </section>
        )}
      </main>
      <SideSheet
        title={leaving ? `Remove ${leaving.name}?` : ""}
        open={leaving !== undefined}
        onClose={() => {
          setLeaving(undefined);
        }}
      >
        {leaving && (
          <>
            <p>
              {count(leaving.pictures, "picture")} and {count(leaving.pages, "measured page")} go with it, with all that
              was made of them. Nothing on the site itself changes, and it can be restored for 90 days.
            </p>
            <Button
              type="primary"
              loading={remove.isPending}
              onClick={() => {
                remove.mutate(leaving.slug, {
                  onSuccess: () => {
                    setLeaving(undefined);
                  },
                });
              }}
            >
              Remove site
            </Button>
          </>
        )}
      </SideSheet>
    </div>
  );
}

const day = (time: string) => new Date(time).toLocaleDateString("en-GB", { day: "numeric", month: "long" });

function SiteRow({ site, onRemove }: { site: ListedSite; onRemove: () => void }) {
  return (
    <tr>
      <th scope="row">
        <a href={`/${site.slug}/library`}>{site.name}</a>
        {site.address != null && <span className="soft site-address">{site.address}</span>}
      </th>
      <td className="right figure">{site.pictures.toLocaleString("en")}</td>
      <td className="right figure">{site.pages.toLocaleString("en")}</td>
      <td>
        {site.margin.weight > 0 ? (
          <span className="site-margin">
            <MarginBar margin={site.margin} today={site.margin.weight} />
            <MarginWords margin={site.margin} />
          </span>
        ) : (
          <span className="soft">not measured yet</span>
        )}
      </td>
      <td>{site.to_mend > 0 ? count(site.to_mend, "place") : <span className="soft">nothing</span>}</td>
      <td>
        {site.jobs > 0 && <span>{count(site.jobs, "job")} left</span>}
        {site.failed > 0 && <span> {site.failed} set aside</span>}
        {site.jobs + site.failed === 0 && <span className="soft">nothing</span>}
      </td>
      <td>
        <Button size="small" aria-label={`Remove ${site.name}`} onClick={onRemove}>
          Remove
        </Button>
      </td>
    </tr>
  );
}
