import { Button } from "antd";
import { useEffect } from "react";
import type { Which } from "../api/client";
import { count } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import { useRemove } from "./useLibrary";

interface Props {
  which: Which | undefined;
  onDone: () => void;
  onClose: () => void;
}

/** Says where pictures are used before they are removed. */
export function RemoveSheet({ which, onDone, onClose }: Props) {
  const { mutate: ask, data: asked, error } = useRemove();
  const remove = useRemove();
  const asks = which && JSON.stringify(which);
  useEffect(() => {
    if (asks) ask({ which: JSON.parse(asks) as Which, dry_run: true });
  }, [asks, ask]);
  const used = asked?.used ?? [];
  return (
    <SideSheet title="Remove" open={which !== undefined} onClose={onClose}>
      {error && <ProblemNote error={error} />}
      {remove.error && (
        <ProblemNote
          error={remove.error}
          again={() => {
            remove.reset();
            if (which) ask({ which, dry_run: true });
          }}
        />
      )}
      {which && asked && (
        <div className="sheet-part">
          <p>
            {count(asked.pictures, "picture")} will be removed. They can be restored for {count(asked.keep_days, "day")}
            , with their places, from “Removed”.
          </p>
          {used.length > 0 && (
            <>
              <b>{count(used.length, "of them is", "of them are")} on a page:</b>
              <ul className="name-list">
                {used.slice(0, 40).map(({ id, name, places, pages }) => (
                  <li key={id}>
                    <bdi>{name}</bdi>{" "}
                    <span className="soft">
                      in {count(places, "place")}: {pages.join(", ")}
                    </span>
                  </li>
                ))}
              </ul>
              <span className="soft">What the site serves stays as it is until something else is published.</span>
            </>
          )}
          <Button
            type="primary"
            loading={remove.isPending}
            onClick={() => {
              // Exactly those that are told here: what came since stays.
              remove.mutate({ which, dry_run: false, seen: asked.seen }, { onSuccess: onDone });
            }}
          >
            Remove {count(asked.pictures, "picture")}
          </Button>
        </div>
      )}
    </SideSheet>
  );
}
