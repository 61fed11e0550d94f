/** Figures as they are shown; what they mean was decided by the server. */

/** Three significant figures: `512 B`, `37.6 KB`, `8.12 MB`. 1 KB is 1,000 bytes. */
export function bytes(count: number): string {
  const sign = count < 0 ? "−" : "";
  const size = Math.abs(count);
  if (size < 1_000) return `${sign}${size} B`;
  const [value, unit] =
    size < 999_500 ? [size / 1e3, "KB"] : size < 999_500_000 ? [size / 1e6, "MB"] : [size / 1e9, "GB"];
  const decimals = value < 9.995 ? 2 : value < 99.95 ? 1 : 0;
  return `${sign}${value.toFixed(decimals)} ${unit}`;
}

/** All of it: `37,643 bytes`. */
export const exactBytes = (count: number) => `${count.toLocaleString("en")} bytes`;

/** `about 412 KB (305–556 KB)`: an estimate with its range. */
export const estimate = ({ low, about, high }: { low: number; about: number; high: number }) =>
  `about ${bytes(about)} (${bytes(low)}–${bytes(high)})`;

export const percent = (value: number) => `${value.toFixed(1)} %`;

export const pixels = (width: number, height: number) => `${width} × ${height} px`;

export const formatName = {
  jpeg: "JPEG",
  webp: "WebP",
  avif: "AVIF",
  png: "PNG",
  gif: "GIF",
  tiff: "TIFF",
  bmp: "BMP",
  jxl: "JPEG XL",
  svg: "SVG",
  ico: "ICO",
} as const;

export const density = (value: number) => `${value}x`;

/** `1 picture`, `3 pictures`. */
export const count = (n: number, one: string, many = `${one}s`) => `${n.toLocaleString("en")} ${n === 1 ? one : many}`;

/** `about 12 s left`, `about 3 min left`. */
export const timeLeft = (seconds: number) =>
  seconds < 90 ? `about ${Math.max(1, Math.round(seconds))} s left` : `about ${Math.round(seconds / 60)} min left`;

/** `27 Nov 2026, 09:41` in the reader's own time. */
export const moment = (at: string) => new Date(at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });

/** `840 ms`, `12.4 s`. */
export const millis = (ms: number) =>
  ms < 9_999.5 ? `${Math.round(ms).toLocaleString("en")} ms` : `${(ms / 1e3).toFixed(1)} s`;
