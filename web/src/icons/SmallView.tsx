import { Checkbox } from "antd";
import type { IconDesign, IconLooks, Legibility, SmallLook } from "../api/client";
import { DoneTable } from "../ui/DoneTable";
import { useAddress } from "../ui/useAddress";
import { PixelEditor } from "./PixelEditor";
import { TabRow } from "./TabRow";

interface Props {
  design: IconDesign;
  looks: IconLooks;
  onEdit: (part: Partial<IconDesign>) => void;
}

/** Small sizes at true size and enlarged, beside a plain down-scale, and what keeps them readable. */
export function SmallView({ design, looks, onEdit }: Props) {
  const [address, change] = useAddress();
  const chosen = Number(address.get("size") ?? 16);
  const edited = looks.small.find(({ size, can_be_touched }) => size === chosen && can_be_touched);
  return (
    <div className="small-view">
      <TabRow looks={looks} name={design.name} />
      <Warnings looks={looks} />
      <Helps design={design} looks={looks} onEdit={onEdit} />
      <DoneTable
        columns={[
          { figures: "Size" },
          "Scaled down only",
          "With helps",
          { figures: "Legible on light" },
          { figures: "On dark" },
          { unseen: "Actions" },
        ]}
      >
        {looks.small.map((look) => (
          <SizeRow
            key={look.size}
            look={look}
            isEdited={look === edited}
            onTouchUp={() => {
              change({ size: look.size === 16 ? undefined : look.size });
            }}
          />
        ))}
      </DoneTable>
      {edited && (
        <PixelEditor
          key={edited.size}
          look={edited}
          touches={design.touch_ups[edited.size]}
          onTouches={(touches) => {
            const others = Object.fromEntries(
              Object.entries(design.touch_ups).filter(([size]) => size !== String(edited.size)),
            );
            onEdit({ touch_ups: touches ? { ...others, [edited.size]: touches } : others });
          }}
        />
      )}
      <p className="soft">
        Legible from 0 to 100: contrast of mark and ground, detail kept of the master, and the width of thin parts.{" "}
        {looks.limits.readable} and more is readable, below {looks.limits.lost} it is lost.
      </p>
    </div>
  );
}

function SizeRow({ look, isEdited, onTouchUp }: { look: SmallLook; isEdited: boolean; onTouchUp: () => void }) {
  const { size, plain, icon, plain_legibility, legibility } = look;
  return (
    <tr data-testid={`small-${size}`}>
      <td className="figure right">{size} px</td>
      <td>
        <Pair picture={plain} size={size} words={`${size} px, scaled down only`} />
      </td>
      <td>
        <Pair picture={icon} size={size} words={`${size} px, with helps`} />
      </td>
      {(["light", "dark"] as const).map((ground) => (
        <td className="right" key={ground}>
          <LegibilityWords before={plain_legibility[ground]} after={legibility[ground]} />
        </td>
      ))}
      <td>
        {look.can_be_touched && (
          <button type="button" className="quiet-button" aria-pressed={isEdited} onClick={onTouchUp}>
            Touch up
          </button>
        )}
      </td>
    </tr>
  );
}

/** What is lost, and at which sizes. */
function Warnings({ looks }: { looks: IconLooks }) {
  const told = new Set(looks.small.map(({ warning }) => warning).filter((words) => words != null));
  return [...told].map((words) => {
    const sizes = looks.small.filter(({ warning }) => warning === words).map(({ size }) => size);
    return (
      <p key={words} data-testid="lost">
        <b>At {sizes.join(", ")} px</b> {words}
      </p>
    );
  });
}

/** A small icon at true size, and enlarged, on light and on dark. */
function Pair({ picture, size, words }: { picture: string; size: number; words: string }) {
  return (
    <span className="icon-pair">
      {(["light", "dark"] as const).map((ground) => (
        <span className="icon-ground" data-ground={ground} key={ground}>
          <img className="true-size" src={picture} width={size} height={size} alt={`${words}, on ${ground}`} />
          <img className="enlarged" src={picture} width={48} height={48} alt="" />
        </span>
      ))}
    </span>
  );
}

/** A figure before and after, with its word. */
function LegibilityWords({ before, after }: { before: Legibility; after: Legibility }) {
  const parts = ({ contrast, detail, stroke }: Legibility) =>
    `contrast ${contrast.toFixed(1)} to 1, ${Math.round(100 * detail)} % of the detail, thin parts ${stroke.toFixed(1)} px`;
  return (
    <span className="legibility" title={`Before: ${parts(before)}. Now: ${parts(after)}`}>
      <span className="figure">
        {Math.round(before.score)} → <b>{Math.round(after.score)}</b>
      </span>
      <span className="soft">{after.verdict}</span>
    </span>
  );
}

/** What is proposed to keep the mark readable; each can be set aside. */
function Helps({ design, looks, onEdit }: Props) {
  const { helps } = looks;
  if (helps.length === 0) {
    return <p className="soft">The mark can be read at every size as it is: nothing is proposed.</p>;
  }
  return (
    <fieldset className="helps">
      <legend>Proposed for small sizes</legend>
      {helps.map(({ help, words, sizes, is_used }) => (
        <Checkbox
          key={help}
          checked={is_used}
          onChange={({ target }) => {
            const others = design.without.filter((one) => one !== help);
            onEdit({ without: target.checked ? others : [...others, help] });
          }}
        >
          {words} <span className="soft figure">{sizes.join(", ")} px</span>
        </Checkbox>
      ))}
    </fieldset>
  );
}
