import { millis } from "../ui/figures";
import type { RequestBody } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { DoneTable } from "../ui/DoneTable";
import { fileOf, KINDS } from "./words";

/** What a page transfers, in the order in which it is found. */
export function RequestTable({ requests }: { requests: RequestBody[] }) {
  return (
    <DoneTable
      columns={["File", "Kind", { figures: "Bytes" }, { figures: "Found" }, { figures: "Asked" }, { figures: "There" }]}
    >
      {requests.map((request) => {
        const { timing } = request;
        const notes = [request.lcp && "LCP", request.blocks && "blocks", request.lazy && "lazy"].filter(Boolean);
        return (
          <tr key={request.address}>
            <td className="page-name" title={request.address}>
              <bdi>{fileOf(request.address)}</bdi>
            </td>
            <td>
              {KINDS[request.kind]}
              {notes.length > 0 && <span className="soft">, {notes.join(", ")}</span>}
            </td>
            <td className="right">
              <Bytes of={request.bytes} />
            </td>
            <td className="right figure">{timing ? millis(timing.discovered) : "–"}</td>
            <td className="right figure">{timing ? millis(timing.sent) : "–"}</td>
            <td className="right figure">{timing ? millis(timing.end) : "–"}</td>
          </tr>
        );
      })}
    </DoneTable>
  );
}
