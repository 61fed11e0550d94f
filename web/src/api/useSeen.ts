import { useState } from "react";

/**
 * What a form was opened with, so that whoever saves is told where somebody else saved since. Once they were told, or
 * have saved, it is what holds now.
 */
export function useSeen<T>(now: T, saving: { isIdle: boolean }): T {
  const [opened] = useState(now);
  return saving.isIdle ? opened : now;
}
