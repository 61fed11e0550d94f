import { Button, Checkbox, Input, Select } from "antd";
import { useId, useState, type ReactNode } from "react";
import type { ListedSite } from "../api/client";
import { ProblemNote } from "../ui/ProblemNote";
import { useAddSite } from "./useSites";

interface Props {
  /** Whether it is the first one, which asks for one thing only. */
  isFirst: boolean;
  /** Sites whose presets a new one can begin with. */
  others: ListedSite[];
}

/** A new site, by its address or its folder. */
export function AddSite({ isFirst, others }: Props) {
  const [address, setAddress] = useState("");
  const [name, setName] = useState("");
  const [folder, setFolder] = useState("");
  const [watches, setWatches] = useState(true);
  const [like, setLike] = useState<string>();
  const add = useAddSite();
  const lacking = address.trim() === "" && folder.trim() === "" ? "Type its address or its folder first" : undefined;
  return (
    <form
      className="add-site"
      aria-label="Add site"
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate({ address, name, folder, watches: watches && folder.trim() !== "", like: like ?? null });
      }}
    >
      <h1>{isFirst ? "Which site do you look after?" : "Add site"}</h1>
      <Field label="Address of its first page">
        {(id) => (
          <Input
            id={id}
            value={address}
            placeholder="https://…"
            onChange={({ target }) => {
              setAddress(target.value);
            }}
          />
        )}
      </Field>
      <Field label="Folder that holds its files, on this machine">
        {(id) => (
          <Input
            id={id}
            value={folder}
            placeholder="/srv/www/…"
            onChange={({ target }) => {
              setFolder(target.value);
            }}
          />
        )}
      </Field>
      {folder.trim() !== "" && (
        <Checkbox
          checked={watches}
          onChange={({ target }) => {
            setWatches(target.checked);
          }}
        >
          Add pictures that are put there
        </Checkbox>
      )}
      <Field label="Name">
        {(id) => (
          <Input
            id={id}
            value={name}
            placeholder="that of its host or folder"
            onChange={({ target }) => {
              setName(target.value);
            }}
          />
        )}
      </Field>
      {others.length > 0 && (
        <Field label="Size presets, edit presets and output rule">
          {(id) => (
            <Select
              id={id}
              allowClear
              value={like}
              placeholder="Default"
              options={others.map((site) => ({ value: site.slug, label: `those of ${site.name}` }))}
              onChange={setLike}
            />
          )}
        </Field>
      )}
      {add.error && <ProblemNote error={add.error} />}
      <div>
        <Button
          type="primary"
          htmlType="submit"
          disabled={lacking !== undefined}
          title={lacking}
          loading={add.isPending}
        >
          Add site and measure it
        </Button>
      </div>
    </form>
  );
}

function Field({ label, children }: { label: string; children: (id: string) => ReactNode }) {
  const id = useId();
  return (
    <div className="add-site-field">
      <label htmlFor={id}>{label}</label>
      {children(id)}
    </div>
  );
}
