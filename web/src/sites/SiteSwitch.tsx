import { siteSlug } from "../api/client";
import { MenuButton } from "../ui/MenuButton";
import { useSites } from "./useSites";

/** The site's name, which is also how one changes to another site. */
export function SiteSwitch({ name }: { name: string | undefined }) {
  const sites = useSites();
  const here = sites.data?.filter((site) => site.removed_at == null) ?? [];
  // Another site is another page: nothing of this one is left over.
  const items = [
    ...here.map((site) => ({
      key: site.slug,
      label: (
        <a href={`/${site.slug}/library`} aria-current={site.slug === siteSlug ? "true" : undefined}>
          {site.name}
        </a>
      ),
    })),
    { type: "divider" as const },
    { key: "", label: <a href="/">All sites…</a> },
  ];
  return (
    <MenuButton items={items} type="text" className="site-switch" aria-label={`Site: ${name ?? siteSlug}`}>
      <bdi>{name ?? siteSlug}</bdi> <span aria-hidden="true">▾</span>
    </MenuButton>
  );
}
