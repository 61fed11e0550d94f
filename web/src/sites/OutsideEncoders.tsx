import { Button } from "antd";
import { useState } from "react";
import type { OutsideEncoder } from "../api/client";
import { useEncoders, useKeepEncoders } from "../api/useEncoders";
import { formatName } from "../ui/figures";
import { notices } from "../ui/notice";
import { ProblemNote } from "../ui/ProblemNote";
import { EncoderForm } from "./EncoderForm";

/** The programs that make files for the site besides our own encoders. */
export function OutsideEncoders() {
  const known = useEncoders();
  const keep = useKeepEncoders();
  // The place of the one that is changed; after the last for a new one.
  const [open, setOpen] = useState<number>();
  if (known.error) return <ProblemNote error={known.error} again={() => void known.refetch()} />;
  if (!known.data) return null;
  const { encoders, programs } = known.data;
  const shut = () => {
    setOpen(undefined);
  };
  const remove = (removed: OutsideEncoder) => {
    const rest = encoders.filter((encoder) => encoder !== removed);
    keep.mutate(
      { encoders: rest, seen: encoders },
      {
        onSuccess: () => {
          shut();
          notices.show({
            words: `Encoder “${removed.name}” removed; what it made stays.`,
            undo: async () => {
              await keep.mutateAsync({ encoders, seen: rest });
            },
          });
        },
      },
    );
  };
  return (
    <section className="add-slot sheet-rules" aria-label="Encoders from outside">
      <h2>Encoders from outside</h2>
      <span className="soft">
        Programs on the server that make a further format, or lighter files than our own encoders. What they make is
        judged as every other file.
      </span>
      {programs.length === 0 && (
        <span className="soft">
          This server runs none. Whoever starts it names those that it may run:{" "}
          <code>brisk-margin serve --encoder-program /usr/bin/cjxl</code>
        </span>
      )}
      {encoders.length > 0 && (
        <ul className="encoders">
          {encoders.map((encoder, place) => (
            <li key={encoder.name}>
              <span>
                <b>{encoder.name}</b>{" "}
                <span className="soft">
                  makes {formatName[encoder.makes]} by {encoder.program}
                </span>
              </span>
              <Button
                size="small"
                aria-label={`Change ${encoder.name}`}
                onClick={() => {
                  setOpen(place);
                }}
              >
                Change
              </Button>
              <Button
                size="small"
                aria-label={`Remove ${encoder.name}`}
                loading={keep.isPending}
                onClick={() => {
                  remove(encoder);
                }}
              >
                Remove
              </Button>
            </li>
          ))}
        </ul>
      )}
      {open === undefined ? (
        <Button
          disabled={programs.length === 0}
          title={programs.length === 0 ? "This server runs no programs" : ""}
          onClick={() => {
            setOpen(encoders.length);
          }}
        >
          Add an encoder
        </Button>
      ) : (
        <EncoderForm
          key={open}
          encoder={encoders[open]}
          programs={programs}
          saving={keep}
          onCancel={shut}
          onKeep={(encoder) => {
            keep.mutate({ encoders: encoders.toSpliced(open, 1, encoder), seen: encoders }, { onSuccess: shut });
          }}
        />
      )}
      {open === undefined && keep.error && <ProblemNote error={keep.error} />}
    </section>
  );
}
