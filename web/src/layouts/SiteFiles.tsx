import type { MenuProps } from "antd";
import { useRef } from "react";
import { useMeasureFiles } from "./useLayouts";

/** A site that is not on the web yet: its pages, styles and pictures from a folder or a zip, chosen from a menu. */
export function useSiteFiles(disabled: boolean) {
  const zip = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  const measure = useMeasureFiles();
  const send = (input: HTMLInputElement) => {
    if (input.files?.length) measure.mutate([...input.files]);
    input.value = "";
  };
  const words = (what: string) => (disabled ? `${what} (something is being measured)` : what);
  const items: NonNullable<MenuProps["items"]> = [
    {
      key: "zip",
      disabled,
      label: words("Measure a zip of the site…"),
      onClick: () => zip.current?.click(),
    },
    {
      key: "folder",
      disabled,
      label: words("Measure a folder of the site…"),
      onClick: () => folder.current?.click(),
    },
  ];
  const inputs = (
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
    </>
  );
  return { items, inputs, error: measure.error };
}
