import { siteApi } from "../api/client";
import { Button } from "antd";
import { useRef } from "react";
import { count } from "../ui/figures";
import { ProblemNote } from "../ui/ProblemNote";
import { useImportSlots } from "./useLayouts";

/** Lists of slots, out and in. */
export function SlotLists() {
  const input = useRef<HTMLInputElement>(null);
  const add = useImportSlots();
  return (
    <>
      <span className="soft">List:</span>
      <a href={`${siteApi}/slots.csv`} download="slots.csv">
        CSV
      </a>
      <a href={`${siteApi}/slots.json`} download="slots.json">
        JSON
      </a>
      <input
        ref={input}
        type="file"
        hidden
        accept=".csv,.json"
        aria-label="List of slots"
        onChange={({ target }) => {
          const file = target.files?.[0];
          if (file) add.mutate(file);
          target.value = "";
        }}
      />
      <Button loading={add.isPending} onClick={() => input.current?.click()}>
        Import a list…
      </Button>
      {add.data && <span role="status">{count(add.data.added, "slot")} added</span>}
      {add.error && <ProblemNote error={add.error} />}
    </>
  );
}
