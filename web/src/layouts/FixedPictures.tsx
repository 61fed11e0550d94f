import { Button } from "antd";
import { useState } from "react";
import { Bytes } from "../ui/Bytes";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import { useFixedPictures } from "./useLayouts";

/** Leads to the pictures of a page that cannot be replaced, where it has some. */
export function FixedPictures({ page }: { page: string }) {
  const [open, setOpen] = useState(false);
  const fixed = useFixedPictures(page);
  const pictures = fixed.data ?? [];
  if (fixed.error) return <ProblemNote error={fixed.error} again={() => void fixed.refetch()} />;
  if (pictures.length === 0) return null;
  return (
    <>
      <Button
        onClick={() => {
          setOpen(true);
        }}
      >
        {pictures.length} cannot be replaced
      </Button>
      <SideSheet
        title="Cannot be replaced"
        open={open}
        onClose={() => {
          setOpen(false);
        }}
      >
        <p className="soft">These pictures have no slot, since another file cannot take the place of theirs.</p>
        <ul className="evidence">
          {pictures.map(({ selector, shown_as, words, url, bytes, largest }) => (
            <li key={selector}>
              <div>
                {shown_as} · <Bytes of={bytes} /> · <span className="figure soft">{cssPixels(largest)}</span>
              </div>
              <div>{words}.</div>
              <div className="soft wrap">{selector}</div>
              <div className="soft wrap">{url}</div>
            </li>
          ))}
        </ul>
      </SideSheet>
    </>
  );
}

function cssPixels(size: number[] | null | undefined) {
  const [width, height] = size ?? [];
  return width && height ? `${Math.round(width)} × ${Math.round(height)} CSS px` : "not shown";
}
