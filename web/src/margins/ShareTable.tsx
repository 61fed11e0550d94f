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
}

/** What pictures weigh by the slots that show them. */
export function SlotShares({ shares }: { shares: Margins["by_slot"] }) {
  const rows = shares.map(({ slot, name, files, saving }) => ({
    ...{ key: slot, files, saving },
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
  const rows = shares.map(({ format, files, saving }) => ({
    ...{ key: format ?? "", files, saving },
    name: nameOf(format),
  }));
  return <Shares of="Format" rows={rows} />;
}

function Shares({ of, rows }: { of: string; rows: Row[] }) {
  const all = rows.reduce((sum, { saving }) => sum + saving.before, 0);
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
        {rows.map(({ key, name, files, saving }) => (
          <tr key={key}>
            <td className="page-name">{name}</td>
            <td className="right figure">{files.toLocaleString("en")}</td>
            <td className="right">
              <Bytes of={saving.before} />
            </td>
            <td className="right figure">{percent(all > 0 ? (saving.before / all) * 100 : 0)}</td>
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
