import { Button, Input } from "antd";
import { useState } from "react";
import type { CheckedIcon, IconReport, Icons } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { DoneTable } from "../ui/DoneTable";
import { count, moment, pixels } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { WaitingRows } from "../ui/Waiting";
import { useCheckIcons } from "./useIcons";

const NAMED_AS: Record<CheckedIcon["named_as"], string> = {
  icon: "icon",
  touch: "home screen",
  installed: "manifest",
  maskable: "maskable",
  monochrome: "monochrome",
  sharing: "sharing picture",
};

/** What the site serves now, each with what is wrong and how to mend it. */
export function ServedView({ icons }: { icons: Icons }) {
  const check = useCheckIcons();
  const [address, setAddress] = useState("");
  const { checked } = icons;
  return (
    <div className="served-view">
      <form
        className="served-form"
        onSubmit={(event) => {
          event.preventDefault();
          check.mutate(address.trim() || undefined);
        }}
      >
        <label htmlFor="served-address">Page</label>
        <Input
          id="served-address"
          value={address}
          placeholder="all pages of the site"
          onChange={({ target }) => {
            setAddress(target.value);
          }}
        />
        <Button htmlType="submit" loading={check.isPending}>
          Check
        </Button>
        <span className="soft">
          {checked ? `checked ${moment(checked.at)}` : "fetches every icon that pages and manifest name"}
        </span>
      </form>
      {check.error && <ProblemNote error={check.error} />}
      {check.isPending && !checked && <WaitingRows />}
      {checked && <Report report={checked.report} isFine={checked.is_fine} />}
      {icons.made && (
        <details>
          <summary>Lines for pages, where the site is published elsewhere</summary>
          <pre className="head-lines">{icons.made.lines.join("\n")}</pre>
        </details>
      )}
    </div>
  );
}

function Report({ report, isFine }: { report: IconReport; isFine: boolean }) {
  const { icons, lacks, unread, silent, manifest, pages } = report;
  const many = lacks.length + unread.length + silent.length + icons.reduce((n, icon) => n + icon.troubles.length, 0);
  return (
    <>
      <p data-testid="icon-verdict">
        {isFine ? (
          <b>Nothing is wrong, and nothing is missing</b>
        ) : (
          <b>{count(many + (manifest ? 1 : 0) + (report.are_many ? 1 : 0), "thing")} to mend</b>
        )}
        , on {count(pages.length, "page")}
      </p>
      <ul className="icon-lacks">
        {manifest && <li>{manifest}</li>}
        {report.are_many && <li>so many icons are named that nobody can tell which one is shown</li>}
        {lacks.map(({ lack, words }) => (
          <li key={lack}>
            <b>Missing:</b> {words} <span className="soft">(make files, and publish)</span>
          </li>
        ))}
        {unread.map(({ page, reason }) => (
          <li key={page}>
            <bdi>{page}</bdi>: {reason}
          </li>
        ))}
        {silent.length > 0 && (
          <li>
            {count(silent.length, "page")} name no icon, though others do: <bdi>{silent.slice(0, 3).join(", ")}</bdi>
          </li>
        )}
      </ul>
      <DoneTable columns={["As served", "Address", "As", { figures: "Pixels" }, { figures: "Bytes" }, "What to mend"]}>
        {icons.map((icon) => (
          <tr key={`${icon.address} ${icon.named_as}`}>
            <td>
              {icon.picture ? <img className="as-served" src={icon.picture} alt="" /> : <span className="soft">–</span>}
            </td>
            <td>
              <bdi className="icon-address">{icon.address}</bdi>
            </td>
            <td>{NAMED_AS[icon.named_as]}</td>
            <td className="figure right">{icon.sizes.map(({ width, height }) => pixels(width, height)).join(", ")}</td>
            <td className="right">{icon.answer && <Bytes of={icon.answer.bytes} />}</td>
            <td>
              {icon.troubles.length === 0 && <span className="soft">nothing</span>}
              {icon.troubles.map(({ kind, words, mend, is_failure }) => (
                <div key={kind + words}>
                  {is_failure ? <b>{words}</b> : words} <span className="soft">· {mend}</span>
                </div>
              ))}
            </td>
          </tr>
        ))}
      </DoneTable>
    </>
  );
}
