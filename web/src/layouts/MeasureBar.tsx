import { Button, Checkbox, Input } from "antd";
import { useState } from "react";
import type { Report } from "../api/client";
import { count } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { useLimits } from "../api/useLimits";
import { SiteFiles } from "./SiteFiles";
import { cancelMeasuring, useMeasure, useReport } from "./useLayouts";

const KEY = "brisk-margin.site";
const WIDTHS_KEY = "brisk-margin.widths";
const HOSTS_KEY = "brisk-margin.allowed-hosts";

function storedHosts(): string[] {
  try {
    return JSON.parse(localStorage.getItem(HOSTS_KEY) ?? "[]") as string[];
  } catch {
    return [];
  }
}

/** Which page or site to measure, and how far that is. */
export function MeasureBar() {
  const limits = useLimits();
  const [typed, setTyped] = useState(() => localStorage.getItem(KEY));
  const address = typed ?? limits.data?.site ?? "";
  const [wholeSite, setWholeSite] = useState(true);
  const [widths, setWidths] = useState(() => localStorage.getItem(WIDTHS_KEY) ?? "390, 820, 1280, 1920");
  const measure = useMeasure();
  const report = useReport().data;
  const running = report?.running ?? false;
  const [allowed, setAllowed] = useState(storedHosts);
  const start = (allow: string[]) => {
    localStorage.setItem(KEY, address);
    localStorage.setItem(WIDTHS_KEY, widths);
    const numbers = widths.split(/[\s,]+/).filter(Boolean).map(Number);
    // What is no number is refused by the server, in words.
    measure.mutate({ address, whole_site: wholeSite, allow, widths: numbers.map((n) => (Number.isInteger(n) ? n : 0)) });
  };
  /** Hosts that were allowed one by one stay allowed until they are forgotten. */
  const permit = (hosts: string[]) => {
    localStorage.setItem(HOSTS_KEY, JSON.stringify(hosts));
    setAllowed(hosts);
    start(hosts);
  };
  return (
    <>
      <form
        className="bar"
        onSubmit={(event) => {
          event.preventDefault();
          if (!running) start(allowed);
        }}
      >
        <h1>Layouts</h1>
        <Input aria-label="Address of a page" value={address} placeholder="http://…" style={{ width: 260 }} onChange={({ target }) => { setTyped(target.value); }} />
        <span className="part">
          at
          <Input aria-label="Layout widths in CSS px" className="figure" value={widths} style={{ width: 185 }} onChange={({ target }) => { setWidths(target.value); }} />
          px
        </span>
        <Checkbox checked={wholeSite} onChange={({ target }) => { setWholeSite(target.checked); }}>and the pages it links to</Checkbox>
        <Button htmlType="submit" type="primary" loading={running} disabled={address.trim() === ""} title={address.trim() === "" ? "Type the address of a page first" : undefined}>
          Measure
        </Button>
        <SiteFiles disabled={running} />
        {report && <Progress report={report} />}
        {running && <Button onClick={() => void cancelMeasuring()}>Cancel</Button>}
      </form>
      {allowed.length > 0 && (
        <div className="notice">
          <b>Also reached:</b>
          <span>{allowed.map((host) => host.replace("http://", "")).join(", ")}</span>
          <button type="button" className="quiet-button" disabled={running} onClick={() => { permit([]); }}>Forget them and measure again</button>
        </div>
      )}
      {measure.error && <ProblemNote error={measure.error} />}
      {report && !running && report.problems.map((problem) => (
        <div key={problem} className="notice" role="alert"><b>Not measured:</b><span>{problem}</span></div>
      ))}
      {report && !running && report.refused.map(({ host, example }) => (
        <div key={host} className="notice">
          <b>Not reached:</b>
          <span>{host} was asked for <span className="soft">({example})</span></span>
          <button type="button" className="quiet-button" onClick={() => { permit([...allowed, `http://${host}`]); }}>Allow it and measure again</button>
        </div>
      ))}
    </>
  );
}

function Progress({ report }: { report: Report }) {
  const pages = `${report.done} of ${count(report.known, "page")}`;
  if (report.running) return <span data-testid="measuring" className="soft">{pages} measured</span>;
  const { new: fresh, changed, gone } = report;
  const changes = [[fresh, "new"], [changed, "changed"], [gone, "gone"]] as const;
  const told = changes.filter(([n]) => n > 0).map(([n, word]) => `${n} ${word}`);
  return (
    <span data-testid="measured" className="soft">
      {report.cancelled ? "cancelled, " : ""}{pages} measured{told.length > 0 ? `: ${told.join(", ")}` : ", nothing changed"}
    </span>
  );
}
