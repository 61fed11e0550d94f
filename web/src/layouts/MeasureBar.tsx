import { Button, Checkbox, Input } from "antd";
import { useState } from "react";
import type { Report } from "../api/client";
import { useChangeSite, useSite } from "../api/useSite";
import { count } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { SiteFiles } from "./SiteFiles";
import { SiteSheet } from "./SiteSheet";
import { cancelMeasuring, useMeasure, useReport } from "./useLayouts";

/** Which page or site to measure, and how far that is. */
export function MeasureBar() {
  const site = useSite();
  const changeSite = useChangeSite();
  const [typed, setTyped] = useState<string>();
  const address = typed ?? site.data?.address ?? "";
  const [wholeSite, setWholeSite] = useState(true);
  const [settings, setSettings] = useState(false);
  const measure = useMeasure();
  const report = useReport().data;
  const running = report?.running ?? false;
  const start = () => {
    measure.mutate({ address, whole_site: wholeSite });
  };
  const allow = (host: string) => {
    const hosts = [...(site.data?.allowed_hosts ?? []), `http://${host}`];
    changeSite.mutate({ allowed_hosts: hosts }, { onSuccess: start });
  };
  const error = measure.error ?? changeSite.error;
  const folder = site.data?.folder;
  const lacking = address.trim() === "" && !folder ? "Type the address of a page first" : undefined;
  return (
    <>
      <form
        className="bar"
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
        <Button
          onClick={() => {
            setSettings(true);
          }}
        >
          {site.data ? `At ${site.data.widths.map(({ width }) => width).join(", ")} px…` : "Widths…"}
        </Button>
        <SiteFiles disabled={running} />
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
      {report &&
        !running &&
        report.refused.map(({ host, example }) => (
          <div key={host} className="notice">
            <b>Not reached:</b>
            <span>
              {host} was asked for <span className="soft">({example})</span>
            </span>
            <button
              type="button"
              className="quiet-button"
              onClick={() => {
                allow(host);
              }}
            >
              Allow it and measure again
            </button>
          </div>
        ))}
      <SiteSheet
        open={settings}
        onClose={() => {
          setSettings(false);
        }}
      />
    </>
  );
}

function Progress({ report }: { report: Report }) {
  const pages = `${report.done} of ${count(report.known, "page")}`;
  if (report.running)
    return (
      <span data-testid="measuring" className="soft">
        {pages} measured
      </span>
    );
  const { new: fresh, changed, gone } = report;
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
    </span>
  );
}
