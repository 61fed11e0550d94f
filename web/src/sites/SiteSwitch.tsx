import { Select } from "antd";
import { siteSlug } from "../api/client";
import { useSites } from "./useSites";

const ALL = "";

/** The site's name, which is also how one changes to another site. */
export function SiteSwitch({ name }: { name: string | undefined }) {
  const sites = useSites();
  const here = sites.data?.filter((site) => site.removed_at == null) ?? [];
  const options = here.map((site) => ({ value: site.slug, label: site.name }));
  if (!options.some(({ value }) => value === siteSlug)) options.push({ value: siteSlug, label: name ?? siteSlug });
  return (
    <Select
      aria-label="Site"
      className="site-switch"
      variant="borderless"
      popupMatchSelectWidth={false}
      value={siteSlug}
      options={[...options, { value: ALL, label: "All sites…" }]}
      onChange={(slug: string) => {
        // Another site is another page: nothing of this one is left over.
        location.assign(slug === ALL ? "/" : `/${slug}/library`);
      }}
    />
  );
}
