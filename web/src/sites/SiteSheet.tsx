import { Button, Checkbox, Input } from "antd";
import { useState } from "react";
import type { Site } from "../api/client";
import { useSeen } from "../api/useSeen";
import { useChangeSite, useSite } from "../api/useSite";
import { OutsideEncoders } from "./OutsideEncoders";
import { PictureRules } from "./PictureRules";
import { ScheduleForm } from "./ScheduleForm";
import { WatchForm } from "./WatchForm";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";

/** The site's name, layout widths and allowed hosts, and what holds for its pictures. */
export function SiteSheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  const site = useSite();
  return (
    <SideSheet title="Site settings" open={open} onClose={onClose}>
      {site.error && <ProblemNote error={site.error} again={() => void site.refetch()} />}
      {site.data && <Settings site={site.data} />}
      {site.data && <ScheduleForm site={site.data} />}
      {site.data && <WatchForm site={site.data} />}
      {site.data && <PictureRules site={site.data} />}
      <OutsideEncoders />
    </SideSheet>
  );
}

const written = (widths: Site["widths"]) => widths.map(({ width, height }) => `${width}×${height}`).join(", ");

/** `390×844, 1280` as viewports; what is no number is refused by the server, in words. */
function read(text: string) {
  return text
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map((part) => {
      const [width, height] = part.split(/[×x*]/).map((side) => (/^\d+$/.test(side) ? Number(side) : 0));
      return { width: width ?? 0, ...(height !== undefined && { height }) };
    });
}

function Settings({ site }: { site: Site }) {
  const [name, setName] = useState(site.name);
  const [widths, setWidths] = useState(written(site.widths));
  const [folder, setFolder] = useState(site.folder ?? "");
  const [watches, setWatches] = useState(site.watches);
  const [hosts, setHosts] = useState(site.allowed_hosts.join("\n"));
  const change = useChangeSite();
  const { name: called, folder: at, watches: watched, widths: wide, allowed_hosts: allowed } = useSeen(site, change);
  const seen = { name: called, folder: at ?? null, watches: watched, widths: wide, allowed_hosts: allowed };
  return (
    <form
      className="add-slot"
      onSubmit={(event) => {
        event.preventDefault();
        const allowed_hosts = hosts.split(/\s+/).filter(Boolean);
        const isWatched = watches && folder.trim() !== "";
        change.mutate({ name, folder, watches: isWatched, widths: read(widths), allowed_hosts, seen });
      }}
    >
      <label htmlFor="site-name">Name</label>
      <Input
        id="site-name"
        aria-label="Name of the site"
        value={name}
        onChange={({ target }) => {
          setName(target.value);
        }}
      />
      <label htmlFor="site-folder">Folder that holds its files, on the server’s machine</label>
      <Input
        id="site-folder"
        aria-label="Folder that holds its files"
        value={folder}
        placeholder="/srv/www/…"
        onChange={({ target }) => {
          setFolder(target.value);
        }}
      />
      <Checkbox
        checked={watches && folder.trim() !== ""}
        disabled={folder.trim() === ""}
        title={folder.trim() === "" ? "Type the folder first" : ""}
        onChange={({ target }) => {
          setWatches(target.checked);
        }}
      >
        Add pictures that are put there
      </Checkbox>
      <label htmlFor="site-widths">Layout widths, in CSS px</label>
      <Input
        id="site-widths"
        aria-label="Layout widths in CSS px"
        className="figure"
        value={widths}
        onChange={({ target }) => {
          setWidths(target.value);
        }}
      />
      <span className="soft">
        Each viewport as width×height: the height decides what is above the fold. Pages follow when they are measured
        again.
      </span>
      <label htmlFor="site-hosts">Other hosts that its pages may reach</label>
      <Input.TextArea
        id="site-hosts"
        aria-label="Other hosts that its pages may reach"
        placeholder="http://pictures.example:8080"
        rows={3}
        value={hosts}
        onChange={({ target }) => {
          setHosts(target.value);
        }}
      />
      <span className="soft">One a line. Nothing else but the host that is measured is ever reached.</span>
      <Button htmlType="submit" type="primary" loading={change.isPending}>
        Save
      </Button>
      {change.isSuccess && <span role="status">Saved.</span>}
      {change.error && <ProblemNote error={change.error} />}
    </form>
  );
}
