/** Where this browser remembers what somebody calls themselves. There is no sign-in. */
const KEY = "brisk-margin.name";

/** The name that was given last in this browser; empty where none was. */
export function lastName(): string {
  return window.localStorage.getItem(KEY) ?? "";
}

/** Remembers a name for the next time. */
export function keepName(name: string) {
  window.localStorage.setItem(KEY, name.trim());
}
