import { Button, Checkbox } from "antd";
import type { Behind, EditEntry, EditKind, Figure, Issue, Length, TextContrast } from "../../api/client";
import { IssueLine } from "../../ui/IssueLine";
import { FigureField, LengthField } from "./fields";
import { EditFields, OWN_FIELDS, type EditTools } from "./EditFields";

interface Props extends EditTools {
  step: EditEntry;
  kind: EditKind | undefined;
  behind: Behind[];
  issues: Issue[];
  /** Of its text with what lies behind it. */
  contrast: TextContrast | undefined;
  onEdit: (step: EditEntry) => void;
  onRemove: () => void;
  /** Nothing where its place cannot be changed that way. */
  onUp: (() => void) | undefined;
  onDown: (() => void) | undefined;
}

/** One edit: its figures to be typed or nudged, its place, and the way to set it aside. */
export function EditRow({
  step,
  kind,
  behind,
  issues,
  contrast,
  onEdit,
  onRemove,
  onUp,
  onDown,
  picking,
  onPick,
  onDraw,
}: Props) {
  const name = kind?.name ?? step.kind;
  const fixed = kind?.moves === false;
  const isPlain = ({ key }: Figure) => !OWN_FIELDS[step.kind]?.includes(key);
  const set = (part: object) => {
    onEdit({ ...step, ...part });
  };
  const why = fixed ? "It has its place in the order of the work" : undefined;
  return (
    <li className="edit-row" data-kind={step.kind} data-off={step.off === true}>
      <div className="row">
        <Checkbox
          checked={step.off !== true}
          onChange={({ target }) => {
            set({ off: !target.checked });
          }}
        >
          <b>{name}</b>
        </Checkbox>
        <span className="gap" />
        <Button
          size="small"
          type="text"
          aria-label={`${name} earlier`}
          disabled={!onUp}
          title={onUp ? "Earlier" : (why ?? "It is the first of its kind")}
          onClick={onUp}
        >
          ↑
        </Button>
        <Button
          size="small"
          type="text"
          aria-label={`${name} later`}
          disabled={!onDown}
          title={onDown ? "Later" : (why ?? "It is the last of its kind")}
          onClick={onDown}
        >
          ↓
        </Button>
        <Button
          size="small"
          type="text"
          aria-label={`Remove ${name}`}
          title="Remove; undo brings it back"
          onClick={onRemove}
        >
          ×
        </Button>
      </div>
      <div className="row figures">
        {(kind?.lengths ?? []).filter(isPlain).map((figure) => (
          <LengthField
            key={figure.key}
            figure={figure}
            edit={name}
            value={(step as unknown as Record<string, Length>)[figure.key] ?? { px: 0, of: "css" }}
            onLength={(value) => {
              set({ [figure.key]: value });
            }}
          />
        ))}
        {(kind?.figures ?? []).filter(isPlain).map((figure) => (
          <FigureField
            key={figure.key}
            figure={figure}
            edit={name}
            value={(step as unknown as Record<string, number>)[figure.key] ?? 0}
            onTyped={(value) => {
              set({ [figure.key]: value });
            }}
          />
        ))}
        <EditFields
          step={step}
          kind={kind}
          behind={behind}
          name={name}
          set={set}
          picking={picking}
          onPick={onPick}
          onDraw={onDraw}
        />
      </div>
      {issues.map((issue) => (
        <IssueLine key={issue.kind} issue={issue} />
      ))}
      {contrast && !issues.some(({ kind }) => kind === "low-contrast") && <ContrastLine contrast={contrast} />}
    </li>
  );
}

/** How a text stands out where it does enough; where it does not, an issue says so. */
function ContrastLine({ contrast: { weakest, needed } }: { contrast: TextContrast }) {
  return (
    <p className="issue-line soft">
      Contrast <span className="figure">{weakest.toFixed(1)} : 1</span> where it is weakest; letters of this size need{" "}
      <span className="figure">{needed} : 1</span>. Enough.
    </p>
  );
}
