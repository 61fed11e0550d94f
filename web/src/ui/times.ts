/** `02:05`: so many minutes after midnight. */
export const timeOf = (minutes: number) =>
  [Math.floor(minutes / 60), minutes % 60].map((part) => String(part).padStart(2, "0")).join(":");

/** `02:05` in minutes after midnight; nothing where it is no time. */
export function minutesOf(time: string) {
  const [, hours, minutes] = /^(\d\d):(\d\d)/.exec(time) ?? [];
  return hours !== undefined && minutes !== undefined ? Number(hours) * 60 + Number(minutes) : undefined;
}
