import { useRef } from "react";
import { siteApi } from "../api/client";
import { count } from "../ui/figures";
import { MenuButton } from "../ui/MenuButton";
import { ProblemNote } from "../ui/ProblemNote";
import { useImportSlots } from "./useLayouts";

/** Lists of slots, out and in. */
export function SlotLists() {
  const input = useRef<HTMLInputElement>(null);
  const add = useImportSlots();
  const items = [
    ...(["csv", "json"] as const).map((kind) => ({
      key: kind,
      label: (
        <a href={`${siteApi}/slots.${kind}`} download={`slots.${kind}`}>
          Download as {kind.toUpperCase()}
        </a>
      ),
    })),
    { key: "import", label: "Import a list…", onClick: () => input.current?.click() },
  ];
  return (
    <>
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
      <MenuButton items={items} loading={add.isPending}>
        List…
      </MenuButton>
      {add.data && <span role="status">{count(add.data.added, "slot")} added</span>}
      {add.error && <ProblemNote error={add.error} />}
    </>
  );
}
