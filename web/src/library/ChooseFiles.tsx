import { Button } from "antd";
import { useRef } from "react";
import { chosenFiles } from "./dropped";
import { useBringIn } from "./useArrivals";

const KINDS = ".jpg,.jpeg,.png,.webp,.avif,.gif,.tif,.tiff,.bmp,.svg,.ico,.jxl,.zip,image/*";

/** Opens the system's own file chooser, for files or for a folder. */
export function ChooseFiles({ primary = false, folder = false }: { primary?: boolean; folder?: boolean }) {
  const bringIn = useBringIn();
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        multiple
        {...(folder ? { webkitdirectory: "" } : { accept: KINDS })}
        hidden
        aria-label={folder ? "A folder of pictures" : "Picture files"}
        data-testid={folder ? "folder" : "files"}
        onChange={({ target }) => {
          if (target.files) bringIn(chosenFiles(target.files));
          // The same file can be chosen again.
          target.value = "";
        }}
      />
      <Button type={primary ? "primary" : "default"} onClick={() => input.current?.click()}>
        {folder ? "A folder…" : "Choose files…"}
      </Button>
    </>
  );
}
