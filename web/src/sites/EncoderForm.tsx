import { Button, Checkbox, Input, InputNumber, Select } from "antd";
import { useState } from "react";
import type { EncoderTried, Format, OutsideEncoder } from "../api/client";
import { useTryEncoder } from "../api/useEncoders";
import { bytes, formatName, millis } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";

const MAKES: Format[] = ["jxl", "avif", "webp", "jpeg"];

interface Props {
  /** The one that is changed; nothing for a new one. */
  encoder: OutsideEncoder | undefined;
  programs: string[];
  saving: { isPending: boolean; error: Error | null };
  onKeep: (encoder: OutsideEncoder) => void;
  onCancel: () => void;
}

const fresh = (program: string): OutsideEncoder => ({
  name: "",
  program,
  makes: "jxl",
  takes: "png",
  arguments: "{in} {out} -q {quality} -e {effort}",
  lowest: 5,
  highest: 100,
  effort: 7,
  seconds: 60,
});

/** A program: what it makes, and its words. */
export function EncoderForm({ encoder, programs, saving, onKeep, onCancel }: Props) {
  const [made, setMade] = useState(encoder ?? fresh(programs[0] ?? ""));
  const attempt = useTryEncoder();
  const set = (part: Partial<OutsideEncoder>) => {
    setMade({ ...made, ...part });
  };
  const choices = programs.map((value) => ({ value, label: value }));
  const { transcoding } = made;
  return (
    <form
      className="add-slot encoder-form"
      aria-label="Encoder"
      onSubmit={(event) => {
        event.preventDefault();
        onKeep(made);
      }}
    >
      <label htmlFor="encoder-name">Name of the encoder</label>
      <Input
        id="encoder-name"
        value={made.name}
        placeholder="as you will call it"
        onChange={({ target }) => {
          set({ name: target.value });
        }}
      />
      <label htmlFor="encoder-program">Program</label>
      <Select
        id="encoder-program"
        aria-label="Program"
        value={made.program}
        options={choices}
        onChange={(program) => {
          set({ program });
        }}
      />
      <label htmlFor="encoder-makes">Makes</label>
      <Select
        id="encoder-makes"
        aria-label="Makes"
        value={made.makes}
        options={MAKES.map((value) => ({ value, label: formatName[value] }))}
        onChange={(makes) => {
          set({ makes });
        }}
      />
      <label htmlFor="encoder-takes">Takes</label>
      <Select
        id="encoder-takes"
        aria-label="Takes"
        value={made.takes}
        options={[
          { value: "png", label: "PNG" },
          { value: "ppm", label: "PPM, without transparency" },
        ]}
        onChange={(takes) => {
          set({ takes });
        }}
      />
      <Words
        id="encoder-words"
        label="Its words for a file at a quality"
        value={made.arguments}
        onChange={(words) => {
          set({ arguments: words });
        }}
      />
      <span className="soft">
        In the place of {"{in} {out} {quality} {effort}"} stand the files, a quality from 1 to 100, and the effort.
        There is no shell: nothing is quoted.
      </span>
      <Words
        id="encoder-lossless"
        label="Without loss; empty where it always loses something"
        value={made.lossless ?? ""}
        onChange={(words) => {
          set({ lossless: words.trim() === "" ? null : words });
        }}
      />
      <Checkbox
        checked={transcoding != null}
        onChange={({ target }) => {
          const there = { there: "{in} {out}", back_program: programs[0] ?? "", back: "{in} {out}" };
          set({ transcoding: target.checked ? there : null });
        }}
      >
        It keeps a JPEG in fewer bytes, and gives every byte back
      </Checkbox>
      {transcoding && (
        <>
          <Words
            id="encoder-there"
            label="Its words for a JPEG"
            value={transcoding.there}
            onChange={(there) => {
              set({ transcoding: { ...transcoding, there } });
            }}
          />
          <label htmlFor="encoder-back-program">Program for the way back</label>
          <Select
            id="encoder-back-program"
            aria-label="Program for the way back"
            value={transcoding.back_program}
            options={choices}
            onChange={(back_program) => {
              set({ transcoding: { ...transcoding, back_program } });
            }}
          />
          <Words
            id="encoder-back"
            label="Words of the way back"
            value={transcoding.back}
            onChange={(back) => {
              set({ transcoding: { ...transcoding, back } });
            }}
          />
        </>
      )}
      <div className="encoder-qualities">
        <label htmlFor="encoder-lowest">Qualities that it takes, from</label>
        <Whole
          id="encoder-lowest"
          from={1}
          to={100}
          value={made.lowest}
          onChange={(lowest) => {
            set({ lowest });
          }}
        />
        <label htmlFor="encoder-highest">to</label>
        <Whole
          id="encoder-highest"
          from={1}
          to={100}
          value={made.highest}
          onChange={(highest) => {
            set({ highest });
          }}
        />
      </div>
      <label htmlFor="encoder-effort">Effort, on its own scale</label>
      <Whole
        id="encoder-effort"
        from={0}
        to={255}
        value={made.effort}
        onChange={(effort) => {
          set({ effort });
        }}
      />
      <label htmlFor="encoder-seconds">Seconds that it may take for a file</label>
      <Whole
        id="encoder-seconds"
        from={1}
        to={300}
        value={made.seconds}
        onChange={(seconds) => {
          set({ seconds });
        }}
      />
      <div className="encoder-acts">
        <Button type="primary" htmlType="submit" loading={saving.isPending}>
          Keep
        </Button>
        <Button
          loading={attempt.isPending}
          onClick={() => {
            attempt.mutate(made);
          }}
        >
          Try it on a picture
        </Button>
        <Button onClick={onCancel}>Cancel</Button>
      </div>
      {attempt.data && <Outcome tried={attempt.data} makes={made.makes} />}
      {attempt.error && <ProblemNote error={attempt.error} />}
      {saving.error && <ProblemNote error={saving.error} />}
    </form>
  );
}

/** The words of a command. */
function Words(props: { id: string; label: string; value: string; onChange: (words: string) => void }) {
  const { id, label, value, onChange } = props;
  return (
    <>
      <label htmlFor={id}>{label}</label>
      <Input
        id={id}
        className="figure"
        value={value}
        onChange={({ target }) => {
          onChange(target.value);
        }}
      />
    </>
  );
}

interface WholeProps {
  id: string;
  from: number;
  to: number;
  value: number;
  onChange: (value: number) => void;
}

/** A whole number; an emptied field keeps the one that was. */
function Whole({ id, from, to, value, onChange }: WholeProps) {
  return (
    <InputNumber
      id={id}
      min={from}
      max={to}
      precision={0}
      value={value}
      onChange={(next) => {
        onChange(next ?? value);
      }}
    />
  );
}

/** What a program made of a picture, beside our own files. */
function Outcome({ tried, makes }: { tried: EncoderTried; makes: Format }) {
  const { lossless, transcoding } = tried;
  return (
    <dl className="encoder-tried" role="status" aria-label="What it made">
      <dt>{tried.picture}, good, long side at most 960 px</dt>
      <dd>
        {formatName[makes]} {tried.quality}: <b className="figure">{bytes(tried.bytes)}</b>, score{" "}
        {tried.score.toFixed(1)}; {tried.encodes} files in {millis(tried.millis)}
      </dd>
      <dt>Ours beside it</dt>
      <dd>{tried.ours.map((own) => `${formatName[own.format]} ${bytes(own.bytes)}`).join(", ")}</dd>
      {lossless != null && (
        <>
          <dt>Without loss</dt>
          <dd>{bytes(lossless)}, proved to be the same pixels</dd>
        </>
      )}
      {transcoding && (
        <>
          <dt>A JPEG kept in fewer bytes</dt>
          <dd>
            {bytes(transcoding.jpeg)} in {bytes(transcoding.bytes)}, and every byte came back
          </dd>
        </>
      )}
    </dl>
  );
}
