import { Button, Checkbox, InputNumber } from "antd";
import type { IconDesign, IconLook, IconLooks, Icons, IconSetting } from "../api/client";
import { Bytes } from "../ui/Bytes";
import { ColourField } from "../ui/ColourField";
import { pixels } from "../ui/figures";
import { iconFileUrl } from "./useIcons";

interface Props {
  design: IconDesign;
  looks: IconLooks;
  icons: Icons;
  onEdit: (part: Partial<IconDesign>) => void;
}

/** Every file as it will look, and how each shows the master. */
export function FilesView({ design, looks, icons, onEdit }: Props) {
  return (
    <div className="icon-files">
      {looks.files.map((look) => (
        <IconFile
          key={look.target}
          look={look}
          limits={looks.limits}
          hasSimpler={Boolean(design.small)}
          made={icons.made?.files.find(({ target }) => target === look.target)}
          onSetting={(setting) => {
            const others = Object.entries(design.settings).filter(([target]) => target !== look.target);
            onEdit({
              settings: Object.fromEntries(setting ? [...others, [look.target, setting]] : others),
            });
          }}
        />
      ))}
    </div>
  );
}

interface FileProps {
  look: IconLook;
  limits: IconLooks["limits"];
  hasSimpler: boolean;
  made: NonNullable<Icons["made"]>["files"][number] | undefined;
  /** Nothing for what is usual. */
  onSetting: (setting: IconSetting | undefined) => void;
}

function IconFile({ look, limits, hasSimpler, made, onSetting }: FileProps) {
  const { setting, file_name, size, words, target } = look;
  const set = (part: Partial<IconSetting>) => {
    onSetting({ ...setting, ...part });
  };
  const sized =
    target === "drawing" ? "every size" : target === "ico" ? "16, 32, 48 px" : pixels(size.width, size.height);
  return (
    <section className="icon-file" aria-label={file_name}>
      <span className="icon-picture" data-wide={target === "sharing" || undefined}>
        <img src={look.picture} alt={`${file_name} as it will look`} />
        {target === "maskable" && <i className="safe-zone" title="What launchers never cut" />}
      </span>
      <div className="icon-facts">
        <h2>
          <bdi>{made?.file_name ?? file_name}</bdi>
        </h2>
        <span className="soft">{words}</span>
        <span className="figure">
          {sized}
          {made && (
            <>
              {" · "}
              <a href={iconFileUrl(made.file_name)} target="_blank" rel="noreferrer">
                <Bytes of={made.bytes} />
              </a>
            </>
          )}
        </span>
        {target !== "sharing" && (
          <>
            <Percent
              label="Margin"
              of={file_name}
              most={limits.margin}
              value={setting.margin}
              onValue={(margin) => {
                set({ margin });
              }}
            />
            <Percent
              label="Corners"
              of={file_name}
              most={limits.corner}
              value={setting.corner}
              onValue={(corner) => {
                set({ corner });
              }}
            />
          </>
        )}
        {target !== "monochrome" && (
          <ColourField
            words="Background"
            edit={file_name}
            value={setting.background}
            clear={target !== "sharing"}
            onColour={(background) => {
              set({ background });
            }}
          />
        )}
        {hasSimpler && target !== "drawing" && (
          <Checkbox
            checked={setting.is_small}
            onChange={({ target }) => {
              set({ is_small: target.checked });
            }}
          >
            the simpler mark
          </Checkbox>
        )}
        {!look.is_usual && (
          <Button
            size="small"
            onClick={() => {
              onSetting(undefined);
            }}
          >
            Default
          </Button>
        )}
      </div>
    </section>
  );
}

interface PercentProps {
  label: string;
  of: string;
  most: number;
  value: number;
  onValue: (value: number) => void;
}

function Percent({ label, of, most, value, onValue }: PercentProps) {
  return (
    <label className="percent">
      {label}
      <InputNumber
        aria-label={`${of}: ${label.toLowerCase()} in percent`}
        size="small"
        min={0}
        max={most}
        precision={0}
        value={value}
        onChange={(typed) => {
          if (typed !== null) onValue(typed);
        }}
      />
      %
    </label>
  );
}
