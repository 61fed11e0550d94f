import type { MeasuredPage, Place } from "../api/client";
import { previewUrl, servedUrl } from "../api/client";
import { count } from "../ui/figures";
import { usePlacesAsMeasured, useReport } from "./useLayouts";

/** How wide a page is drawn, and how much of its height is shown, in CSS px. */
const WIDTH = 96;
const HEIGHT = 72;
/** More would not be looked at. */
const MOST = 12;

interface Props {
  pages: MeasuredPage[];
  widths: number[];
  onGo: (page: string) => void;
}

/** The pages that are measured now, the newest first, while the others are still waited for. */
export function MeasuredNow({ pages, widths, onGo }: Props) {
  const report = useReport().data;
  const since = report?.started_at;
  if (!report?.running || !since || report.known < 2) return null;
  const come = pages
    .filter(({ measured_at }) => measured_at >= since)
    .toSorted((a, b) => b.measured_at.localeCompare(a.measured_at));
  return (
    <ol className="measured-now" aria-label="Pages measured now">
      {come.slice(0, MOST).map((page) => (
        <li key={page.id}>
          <button
            type="button"
            onClick={() => {
              onGo(page.id);
            }}
          >
            <Miniature page={page} width={widths.at(-1) ?? 1280} />
            <bdi title={page.name}>{page.name}</bdi>
            <span className="soft">{page.to_mend > 0 ? `${page.to_mend} to mend` : count(page.places, "place")}</span>
          </button>
        </li>
      ))}
      {come.length === 0 && <li className="soft">The first page is being measured…</li>}
    </ol>
  );
}

/** A page as it is laid out at one width, so small that it is told from others at a glance. */
function Miniature({ page, width }: { page: MeasuredPage; width: number }) {
  const places = usePlacesAsMeasured(page).data ?? [];
  const scale = WIDTH / width;
  return (
    <span className="miniature" aria-hidden="true" style={{ width: WIDTH, height: HEIGHT }}>
      {places.map((place) => (
        <Spot key={place.id} place={place} width={width} scale={scale} />
      ))}
    </span>
  );
}

function Spot({ place, width, scale }: { place: Place; width: number; scale: number }) {
  const [w = 0, h = 0] = place.boxes[width] ?? [];
  const [x = 0, y = HEIGHT / scale] = place.positions[width] ?? [];
  if (w * h === 0 || y * scale >= HEIGHT) return null;
  const hash = place.today?.hash;
  const source = place.picture_id
    ? previewUrl(place.picture_id, "thumbnail", place.picture_step)
    : hash && servedUrl(hash);
  const at = { left: x * scale, top: y * scale, width: w * scale, height: h * scale };
  return source ? <img src={source} alt="" style={at} /> : <span style={at} />;
}
