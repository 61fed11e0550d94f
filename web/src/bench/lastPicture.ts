const KEY = "brisk-margin.last-picture";

/** The picture that lay on the bench last. */
export const lastPicture = {
  get: () => localStorage.getItem(KEY),
  set: (id: string) => {
    localStorage.setItem(KEY, id);
  },
  forget: () => {
    localStorage.removeItem(KEY);
  },
};
