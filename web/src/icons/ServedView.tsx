import { Button, Input } from "antd";
import { useState } from "react";
import type { IconReport, Icons } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { DoneTable } from "../ui/DoneTable";
import { count, moment } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { WaitingRows } from "../ui/Waiting";
import { sharedTroubles, sizeWords, type Trouble } from "./servedWords";
import { useCheckIcons } from "./useIcons";

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
  const shared = sharedTroubles(icons);
  const isShared = ({ words }: Trouble) => shared.some((one) => one.words === words);
  const own = icons.reduce((n, { troubles }) => n + troubles.filter((one) => !isShared(one)).length, 0);
  const listed = [manifest, report.are_many, silent.length > 0].filter(Boolean).length;
  const many = own + shared.length + lacks.length + unread.length + listed;
  return (
    <>
      <p data-testid="icon-verdict">
        {isFine ? <b>Nothing is wrong, and nothing is missing</b> : <b>{count(many, "thing")} to mend</b>}, on{" "}
        {count(pages.length, "page")}
      </p>
      <ul className="icon-lacks">
        {shared.map(({ words, mend }) => (
          <li key={words}>
            <b>Each of them:</b> {words} <span className="soft">· {mend}</span>
          </li>
        ))}
        {manifest && <li>{manifest}</li>}
        {report.are_many && <li>so many icons are named that nobody can tell which one is shown</li>}
        {lacks.map(({ lack, words }) => (
          <li key={lack}>
            <b>Missing:</b> {words} <span className="soft">· make files, and publish</span>
          </li>
        ))}
        {unread.map(({ page, reason }) => (
          <li key={page}>
            <bdi>{page}</bdi>: {reason}
          </li>
        ))}
        {silent.length > 0 && (
          <li>
            {count(silent.length, "page")} without an icon, though others have one:{" "}
            <bdi>{silent.slice(0, 3).join(", ")}</bdi>
          </li>
        )}
      </ul>
      <DoneTable columns={["As served", "Address", "As", { figures: "Pixels" }, { figures: "Bytes" }, "What to mend"]}>
        {icons.map((icon) => {
          const troubles = icon.troubles.filter((one) => !isShared(one));
          return (
            <tr key={`${icon.address} ${icon.named_as}`}>
              <td>
                {icon.picture ? (
                  <img className="as-served" src={icon.picture} alt="" />
                ) : (
                  <span className="soft">–</span>
                )}
              </td>
              <td>
                <bdi className="icon-address">{icon.address}</bdi>
              </td>
              <td>{icon.words}</td>
              <td className="figure right">{sizeWords(icon.sizes)}</td>
              <td className="right">{icon.answer && <Bytes of={icon.answer.bytes} />}</td>
              <td>
                {troubles.length === 0 && <span className="soft">nothing</span>}
                {troubles.map(({ kind, words, mend, is_failure }) => (
                  <div key={kind + words}>
                    {is_failure ? <b>{words}</b> : words} <span className="soft">· {mend}</span>
                  </div>
                ))}
              </td>
            </tr>
          );
        })}
      </DoneTable>
    </>
  );
}
