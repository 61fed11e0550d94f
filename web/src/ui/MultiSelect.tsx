import { Select, type SelectProps } from "antd";
import { useState } from "react";

type Props<Value> = Omit<SelectProps<Value[]>, "mode" | "open" | "onOpenChange">;

/** A list of choices of which several can be taken. Tab closes it and goes on, as in every list: the
 * library's own keeps the focus while it is open. */
export function MultiSelect<Value extends string | number>(props: Props<Value>) {
  const [open, setOpen] = useState(false);
  return (
    <div
      role="presentation"
      className="multi-select"
      onKeyDownCapture={(event) => {
        if (event.key !== "Tab" || !open) return;
        event.stopPropagation();
        setOpen(false);
      }}
    >
      <Select<Value[]> {...props} mode="multiple" open={open} onOpenChange={setOpen} />
    </div>
  );
}
