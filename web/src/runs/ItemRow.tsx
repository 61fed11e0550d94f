import { Button } from "antd";
import { Link } from "react-router";
import { previewUrl, type RunItem } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { percent } from "../ui/figures";
import { ITEM_STATES } from "./words";

interface Props {
  item: RunItem;
  busy: boolean;
  onTakeBack: () => void;
  onAgain: () => void;
}

/** A picture in a slot, and what became of it. */
export function ItemRow({ item, busy, onTakeBack, onAgain }: Props) {
  const { picture, name, slot, saving, score, state } = item;
  const isDone = state === "done";
  const canBeMade = slot != null && (state === "failed" || state === "taken-back");
  return (
    <tr data-state={state}>
      <td className="run-thumbnail">
        <img src={previewUrl(picture, "thumbnail", undefined)} alt="" loading="lazy" />
      </td>
      <td>
        <Link
          to={slot && isDone ? `/bench/${picture}?step=encode&for=${slot}` : `/library/${picture}`}
          data-result={isDone ? "" : undefined}
          title={isDone ? "Look at it on the bench" : undefined}
        >
          <bdi>{name}</bdi>
        </Link>
      </td>
      <td>
        <bdi>{item.slot_name}</bdi>
      </td>
      <td className="right figure">{score != null ? score.toFixed(1) : ""}</td>
      <td className="right figure">{item.files > 0 ? item.files : ""}</td>
      <td className="right">
        {saving && (
          <>
            <Bytes of={saving.before} /> → <Bytes of={saving.after} />{" "}
            <span className="figure soft">({percent(saving.percent)})</span>
          </>
        )}
      </td>
      <td>
        {item.in_hand ? "being made" : ITEM_STATES[state]}
        {isDone && item.approved && ", approved"}
        {item.reason && <span className="soft">: {item.reason}</span>}
      </td>
      <td>
        {isDone && (
          <Button size="small" aria-label={`Take back ${name}`} loading={busy} onClick={onTakeBack}>
            Take back
          </Button>
        )}
        {canBeMade && (
          <Button size="small" aria-label={`Make ${name} again`} loading={busy} onClick={onAgain}>
            {state === "failed" ? "Try again" : "Make again"}
          </Button>
        )}
      </td>
    </tr>
  );
}
