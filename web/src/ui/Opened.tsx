import { Suspense, useState, type ReactNode } from "react";

/** Is there once it was opened for the first time, and stays with what was written in it. */
export function Opened({ open, children }: { open: boolean; children: ReactNode }) {
  const [once, setOnce] = useState(open);
  if (open && !once) setOnce(true);
  return once ? <Suspense>{children}</Suspense> : null;
}
