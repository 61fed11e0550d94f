import { Button } from "antd";
import type { MeasuredPage, Place } from "../api/client";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import { useJoin, useKeepApart, usePlaces } from "./useLayouts";

interface Props {
  open: boolean;
  onClose: () => void;
  pages: MeasuredPage[];
  onShow: (place: Place) => void;
}

/** Every match that is in doubt: the same markup as another slot, and another layout. */
export function DoubtsSheet({ open, onClose, pages, onShow }: Props) {
  const doubts = usePlaces(open ? { uncertain: true } : undefined);
  const join = useJoin();
  const apart = useKeepApart();
  const error = doubts.error ?? join.error ?? apart.error;
  return (
    <SideSheet title="Uncertain matches" open={open} onClose={onClose}>
      <p className="soft">
        These have the markup of another slot, but are laid out differently. Split from slot undoes a merge.
      </p>
      {error && <ProblemNote error={error} />}
      {doubts.data?.length === 0 && <p className="soft">There are no uncertain matches.</p>}
      <ul className="evidence">
        {doubts.data?.map((place) => (
          <li key={place.id}>
            <button
              type="button"
              className="row-button"
              onClick={() => {
                onShow(place);
              }}
            >
              {pages.find(({ id }) => id === place.page_id)?.name}
            </button>
            <div className="soft wrap">{place.selector}</div>
            <div className="placing-actions">
              {place.alike && (
                <Button
                  onClick={() => {
                    join.mutate({ slot: place.slot_id, into: place.alike?.slot_id ?? "" });
                  }}
                >
                  Merge with {place.alike.name}
                </Button>
              )}
              <Button
                onClick={() => {
                  apart.mutate(place.id);
                }}
              >
                Keep separate
              </Button>
            </div>
          </li>
        ))}
      </ul>
    </SideSheet>
  );
}
