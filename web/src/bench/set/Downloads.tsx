import type { ResponsiveSet } from "../../api/client";
import { density } from "../../ui/figures";
import { MarginBar, MarginWords } from "../../ui/MarginBar";

/** What each screen downloads of a set, where the browser reads every format. */
export function Downloads({ set }: { set: ResponsiveSet }) {
  return (
    <table className="set-table" aria-label="What each screen downloads">
      <thead>
        <tr>
          <th scope="col">Layout width</th>
          <th scope="col" className="right">
            Shown in
          </th>
          <th scope="col" className="right">
            Downloads
          </th>
          <th scope="col">Weight against budget</th>
          <th scope="col">Byte margin</th>
        </tr>
      </thead>
      <tbody>
        {set.downloads.map((one) => (
          <tr key={`${one.viewport}-${one.density}`} data-download={one.file}>
            <th scope="row" className="figure">
              {one.viewport} {density(one.density)}
            </th>
            <td className="figure right">{one.needed} px</td>
            <td className="figure right" title={one.file}>
              {one.width} px
            </td>
            <td>{one.margin ? <MarginBar margin={one.margin} /> : <span className="soft">not made</span>}</td>
            <td>{one.margin && <MarginWords margin={one.margin} />}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
