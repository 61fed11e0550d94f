import { Button, Checkbox, Input } from "antd";
import { useState } from "react";
import { Link } from "react-router";
import type { Report } from "../api/client";
import { useChangeSite, useSite } from "../api/useSite";
import { count, timeLeft } from "../ui/figures";
import { MenuButton } from "../ui/MenuButton";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import { useAddress } from "../ui/useAddress";
import { useSiteFiles } from "./SiteFiles";
import { cancelMeasuring, useMeasure, useReport } from "./useLayouts";

/** Which page or site to measure, and how far that is. */
export function MeasureBar() {
  const site = useSite();
  const changeSite = useChangeSite();
  const [typed, setTyped] = useState<string>();
  const address = typed ?? site.data?.address ?? "";
  const [wholeSite, setWholeSite] = useState(true);
  const [, changeAddress] = useAddress();
  const measure = useMeasure();
  const report = useReport().data;
  const running = report?.running ?? false;
  const start = () => {
    measure.mutate({ address, whole_site: wholeSite });
  };
  const allow = (host: string) => {
    const hosts = [...(site.data?.allowed_hosts ?? []), `http://${host}`];
    const seen = { allowed_hosts: site.data?.allowed_hosts ?? [] };
    changeSite.mutate({ allowed_hosts: hosts, seen }, { onSuccess: start });
  };
  const error = measure.error ?? changeSite.error;
  const folder = site.data?.folder;
  const files = useSiteFiles(running);
  const [hostsOpen, setHostsOpen] = useState(false);
  const widths = site.data?.widths.map(({ width }) => width).join(", ");
  const more = [
    {
      key: "widths",
      label: widths ? `Layout widths: ${widths} px…` : "Layout widths…",
      onClick: () => {
        changeAddress({ sheet: "site" }, "back");
      },
    },
    ...files.items,
  ];
  const lacking = address.trim() === "" && !folder ? "Type the address of a page first" : undefined;
  return (
    <>
      <form
        className="bar measure-bar"
        onSubmit={(event) => {
          event.preventDefault();
          if (running) return;
          if (wholeSite && address !== (site.data?.address ?? "")) changeSite.mutate({ address });
          start();
        }}
      >
        <h1>Layouts</h1>
        <Input
          aria-label="Address of a page"
          value={address}
          placeholder={folder ? `the pages in ${folder}` : "http://…"}
          style={{ width: 260 }}
          onChange={({ target }) => {
            setTyped(target.value);
          }}
        />
        <Checkbox
          checked={wholeSite}
          onChange={({ target }) => {
            setWholeSite(target.checked);
          }}
        >
          and the pages it links to
        </Checkbox>
        <Button htmlType="submit" type="primary" loading={running} disabled={lacking !== undefined} title={lacking}>
          Measure
        </Button>
        <MenuButton items={more}>More…</MenuButton>
        {files.inputs}
        {report && <Progress report={report} />}
        {running && <Button onClick={() => void cancelMeasuring()}>Cancel</Button>}
      </form>
      {error && <ProblemNote error={error} />}
      {report &&
        !running &&
        report.problems.map((problem) => (
          <div key={problem} className="notice" role="alert">
            <b>Not measured:</b>
            <span>{problem}</span>
          </div>
        ))}
      {files.error && <ProblemNote error={files.error} />}
      {report && !running && report.refused.length > 0 && (
        <div className="hosts-line" data-testid="refused">
          <span>
            {count(report.refused.length, "other host was", "other hosts were")} not asked:{" "}
            {report.refused.map(({ host }) => host).join(", ")}
          </span>
          <button
            type="button"
            className="quiet-button"
            onClick={() => {
              setHostsOpen(true);
            }}
          >
            Choose…
          </button>
        </div>
      )}
      <SideSheet
        title="Hosts that were not asked"
        open={hostsOpen}
        onClose={() => {
          setHostsOpen(false);
        }}
      >
        <p className="soft">
          The pages show something from these hosts. A host that is allowed is asked when the pages are measured again,
          and what it serves appears in the layouts.
        </p>
        <ul className="evidence">
          {report?.refused.map(({ host, example }) => (
            <li key={host}>
              <b>{host}</b>
              <span className="soft wrap">for example {example}</span>
              <Button
                onClick={() => {
                  setHostsOpen(false);
                  allow(host);
                }}
              >
                Allow it and measure again
              </Button>
            </li>
          ))}
        </ul>
      </SideSheet>
    </>
  );
}

function Progress({ report }: { report: Report }) {
  const pages = `${report.done} of ${count(report.known, "page")}`;
  if (report.running)
    return (
      <span data-testid="measuring" className="soft">
        {pages} measured
        {report.seconds_left != null && `, ${timeLeft(report.seconds_left)}`}
      </span>
    );
  const { new: fresh, changed, gone, heavier } = report;
  const changes = [
    [fresh, "new"],
    [changed, "changed"],
    [gone, "gone"],
  ] as const;
  const told = changes.filter(([n]) => n > 0).map(([n, word]) => `${n} ${word}`);
  return (
    <span data-testid="measured" className="soft">
      {report.cancelled ? "cancelled, " : ""}
      {pages} measured{told.length > 0 ? `: ${told.join(", ")}` : ", nothing changed"}
      {heavier > 0 && (
        <>
          ; <Link to="/margins">{count(heavier, "page")} became heavier</Link>
        </>
      )}
    </span>
  );
}
