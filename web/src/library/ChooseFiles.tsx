import { Button } from "antd";
import { useRef } from "react";
import { useBringIn } from "./useArrivals";

/** Opens the system's own file chooser. */
export function ChooseFiles({ onChosen, primary = false }: { onChosen?: () => void; primary?: boolean }) {
  const bringIn = useBringIn();
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        multiple
        accept=".jpg,.jpeg,.png,image/jpeg,image/png"
        hidden
        aria-label="Picture files"
        data-testid="files"
        onChange={({ target }) => {
          if (target.files) bringIn(target.files);
          // The same file can be chosen again.
          target.value = "";
          onChosen?.();
        }}
      />
      <Button type={primary ? "primary" : "default"} onClick={() => input.current?.click()}>
        Choose files…
      </Button>
    </>
  );
}
