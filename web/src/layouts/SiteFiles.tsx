import { Button } from "antd";
import { useRef } from "react";
import { ProblemNote } from "../ui/ProblemNote";
import { useMeasureFiles } from "./useLayouts";

/** A site that is not on the web yet: its pages, styles and pictures from a folder or a zip. */
export function SiteFiles({ disabled }: { disabled: boolean }) {
  const zip = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const measure = useMeasureFiles();
  const send = (input: HTMLInputElement) => {
    if (input.files?.length) measure.mutate([...input.files]);
    input.value = "";
  };
  const reason = disabled ? "Something is being measured" : undefined;
  return (
    <>
      <input
        ref={zip}
        type="file"
        hidden
        accept=".zip"
        aria-label="Zip archive of a site"
        onChange={({ target }) => {
          send(target);
        }}
      />
      <input
        ref={folder}
        type="file"
        hidden
        multiple
        aria-label="Folder of a site"
        {...{ webkitdirectory: "" }}
        onChange={({ target }) => {
          send(target);
        }}
      />
      <Button disabled={disabled} title={reason} loading={measure.isPending} onClick={() => zip.current?.click()}>
        Zip…
      </Button>
      <Button disabled={disabled} title={reason} onClick={() => folder.current?.click()}>
        Folder…
      </Button>
      {measure.error && <ProblemNote error={measure.error} />}
    </>
  );
}
