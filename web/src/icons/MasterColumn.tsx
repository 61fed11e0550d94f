import { Input, Select } from "antd";
import { useState } from "react";
import type { IconDesign, IconLooks } from "../api/client";
import { previewUrl } from "../api/client";
import { usePictures } from "../api/usePictures";
import { ColourField } from "../ui/ColourField";
import { pixels } from "../ui/figures";
import { SquareFrame } from "./SquareFrame";

const BY_NAME = { sort: "name", descending: false } as const;

interface Props {
  design: IconDesign;
  looks: IconLooks | undefined;
  onEdit: (part: Partial<IconDesign>) => void;
}

/** What all icons are made of, and what they are told by. */
export function MasterColumn({ design, looks, onEdit }: Props) {
  return (
    <aside className="icons-master" aria-label="Master">
      <div className="part">
        <span>Master</span>
        <PictureSelect
          label="Master"
          value={design.master}
          onChange={(master) => {
            onEdit({ master, square: null });
          }}
        />
      </div>
      {design.master && looks && (
        <SquareFrame
          key={design.master}
          picture={previewUrl(design.master, "bench", undefined)}
          source={looks.source}
          square={looks.square}
          isUsual={!design.square}
          onSquare={(square) => {
            onEdit({ square });
          }}
        />
      )}
      {looks?.notes.map((note) => (
        <p className="soft" key={note}>
          {note}
        </p>
      ))}
      <div className="part">
        <span>Simpler mark for small sizes</span>
        <PictureSelect
          label="Simpler mark for small sizes"
          value={design.small}
          optional
          onChange={(small) => {
            onEdit({ small });
          }}
        />
      </div>
      <div className="part">
        <span>Drawing for dark themes</span>
        <PictureSelect
          label="Drawing for dark themes"
          value={design.dark}
          optional
          onlyDrawings
          onChange={(dark) => {
            onEdit({ dark });
          }}
        />
      </div>
      <TextField
        id="icon-name"
        words="Name of the site"
        value={design.name}
        onText={(name) => {
          onEdit({ name });
        }}
      />
      <TextField
        id="icon-line"
        words="Line on the sharing picture"
        value={design.line}
        onText={(line) => {
          onEdit({ line });
        }}
      />
      <ColourField
        words="Theme colour"
        edit="Icons"
        value={design.colour}
        onColour={(colour) => {
          onEdit({ colour });
        }}
      />
      <ColourField
        words="Background"
        edit="Icons"
        value={design.background}
        onColour={(background) => {
          onEdit({ background });
        }}
      />
      <PrefixField
        key={design.prefix}
        prefix={design.prefix}
        onPrefix={(prefix) => {
          onEdit({ prefix });
        }}
      />
    </aside>
  );
}

interface TextProps {
  id: string;
  words: string;
  value: string;
  onText: (text: string) => void;
}

function TextField({ id, words, value, onText }: TextProps) {
  return (
    <div className="part">
      <label htmlFor={id}>{words}</label>
      <Input
        id={id}
        value={value}
        onChange={({ target }) => {
          onText(target.value);
        }}
      />
    </div>
  );
}

/** Where the files are: it holds once it is left or confirmed, since half of it means nothing. */
function PrefixField({ prefix, onPrefix }: { prefix: string; onPrefix: (prefix: string) => void }) {
  const [typed, setTyped] = useState(prefix);
  const keep = () => {
    if (typed !== prefix) onPrefix(typed);
  };
  return (
    <div className="part">
      <label htmlFor="icon-prefix">Files are at</label>
      <Input
        id="icon-prefix"
        value={typed}
        onChange={({ target }) => {
          setTyped(target.value);
        }}
        onBlur={keep}
        onPressEnter={keep}
      />
    </div>
  );
}

interface PictureProps {
  label: string;
  value: string | null;
  optional?: boolean;
  onlyDrawings?: boolean;
  onChange: (id: string | null) => void;
}

/** A picture of the library. */
function PictureSelect({ label, value, optional = false, onlyDrawings = false, onChange }: PictureProps) {
  const [search, setSearch] = useState("");
  const list = usePictures({ ...(search && { search }), ...(onlyDrawings && { format: "svg" as const }) }, BY_NAME);
  const pictures = list.data?.pages.flatMap((page) => page.pictures) ?? [];
  const options = pictures.map(({ id, name, width, height }) => ({
    value: id,
    label: `${name} · ${pixels(width, height)}`,
  }));
  return (
    <Select
      aria-label={label}
      showSearch={{ filterOption: false, onSearch: setSearch }}
      allowClear={optional}
      placeholder={optional ? "none" : "A picture of the library"}
      notFoundContent={onlyDrawings ? "no drawing in the library" : "no picture of that name"}
      options={options}
      value={value}
      onChange={(id: string | undefined) => {
        onChange(id ?? null);
      }}
    />
  );
}
