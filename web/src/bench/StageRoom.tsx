import type { ReactNode } from "react";
import type { Stage } from "./useStage";

/** The neutral ground on which a picture lies, to be panned. */
export function StageRoom({ stage, children }: { stage: Stage; children: ReactNode }) {
  const { attach, panning, handlers } = stage;
  return (
    <div className="stage" ref={attach} data-panning={panning} {...handlers}>
      {children}
    </div>
  );
}
