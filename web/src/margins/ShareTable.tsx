import { Link } from "react-router";
import type { Margins } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { DoneTable } from "../ui/DoneTable";
import { formatName, percent } from "../ui/figures";

const nameOf = (format: string | null | undefined) =>
  format == null ? "not readable" : format in formatName ? formatName[format as keyof typeof formatName] : format;

interface Row {
  key: string;
  name: React.ReactNode;
  files: number;
  saving: Margins["saving"];
  /** Of the weight of all today, in percent. */
  part: number;
}

/** What pictures weigh by the slots that show them. */
export function SlotShares({ shares }: { shares: Margins["by_slot"] }) {
  const rows = shares.map(({ slot, name, files, saving, percent: part }) => ({
    ...{ key: slot, files, saving, part },
    name: (
      <Link to={`/layouts?slot=${slot}`}>
        <bdi>{name}</bdi>
      </Link>
    ),
  }));
  return <Shares of="Slot" rows={rows} />;
}

/** What pictures weigh by their formats. */
export function FormatShares({ shares }: { shares: Margins["by_format"] }) {
  const rows = shares.map(({ format, files, saving, percent: part }) => ({
    ...{ key: format ?? "", files, saving, part },
    name: nameOf(format),
  }));
  return <Shares of="Format" rows={rows} />;
}

function Shares({ of, rows }: { of: string; rows: Row[] }) {
  return (
    // Keys scroll it, too.
    <div role="group" className="margin-pages" aria-label={`Weights by ${of.toLowerCase()}`} tabIndex={0}>
      <DoneTable
        columns={[
          of,
          { figures: "Files" },
          { figures: "Today" },
          { figures: "Share" },
          { figures: "Possible" },
          { figures: "Could save" },
        ]}
      >
        {rows.map(({ key, name, files, saving, part }) => (
          <tr key={key}>
            <td className="page-name">{name}</td>
            <td className="right figure">{files.toLocaleString("en")}</td>
            <td className="right">
              <Bytes of={saving.before} />
            </td>
            <td className="right figure">{percent(part)}</td>
            <td className="right">
              <Bytes of={saving.after} />
            </td>
            <td className="right">
              <Bytes of={saving.saved} />
            </td>
          </tr>
        ))}
      </DoneTable>
      <p className="soft shares-note">Each file once a page, lazy ones among them. Possible is an estimate.</p>
    </div>
  );
}
