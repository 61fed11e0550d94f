import { saveUrl, type Variant } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { density, formatName, percent, pixels } from "../ui/figures";
import { MarginBar, MarginWords } from "../ui/MarginBar";

interface Props {
  variants: Variant[];
  shown: string | undefined;
  onShow: (id: string) => void;
}

/** The files made of the picture; the one with the mark lies in the proof. */
export function FilesMade({ variants, shown, onShow }: Props) {
  return (
    <section className="files" aria-label="Files made">
      <table>
        <thead>
          <tr>
            <th scope="col">File</th>
            <th scope="col">Slot</th>
            <th scope="col" className="right">
              Pixels
            </th>
            <th scope="col">Encoding</th>
            <th scope="col" className="right">
              Bytes
            </th>
            <th scope="col" className="right">
              Saved
            </th>
            <th scope="col">Weight against budget</th>
            <th scope="col">Byte margin</th>
            <th scope="col">
              <span className="unseen">Download</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {variants.map((variant) => (
            <FileRow key={variant.id} variant={variant} shown={variant.id === shown} onShow={onShow} />
          ))}
        </tbody>
      </table>
    </section>
  );
}

function FileRow({ variant, shown, onShow }: { variant: Variant; shown: boolean; onShow: (id: string) => void }) {
  const { slot } = variant;
  return (
    <tr aria-selected={shown} data-file={variant.file_name}>
      <td className="name">
        <label title={variant.file_name}>
          <input
            type="radio"
            name="shown"
            checked={shown}
            onChange={() => {
              onShow(variant.id);
            }}
          />
          <bdi>{variant.file_name}</bdi>
        </label>
      </td>
      <td className="figure">
        {slot.width} × {slot.height} {slot.fit} {density(variant.density)}
      </td>
      <td className="figure right">{pixels(variant.width, variant.height)}</td>
      <td>
        {formatName[variant.format]} <span className="figure">{variant.quality ?? "lossless"}</span>
      </td>
      <td className="right">
        <Bytes of={variant.saving.after} />
      </td>
      <td className="right">
        <Bytes of={variant.saving.saved} /> <span className="figure soft">{percent(variant.saving.percent)}</span>
      </td>
      <td>
        <MarginBar margin={variant.margin} today={variant.saving.before} />
      </td>
      <td>
        <MarginWords margin={variant.margin} />
      </td>
      <td>
        <a href={saveUrl(variant.id)} download={variant.file_name}>
          Download
        </a>
      </td>
    </tr>
  );
}
