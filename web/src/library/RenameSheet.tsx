import { Button, Input, type InputRef } from "antd";
import { useState } from "react";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import { useRename, type Shelf } from "./useLibrary";

const focused = (field: InputRef | null) => {
  field?.focus();
};

/** Gives a collection or a saved filter another name. */
export function RenameSheet({ shelf, onClose }: { shelf: Shelf; onClose: () => void }) {
  const [name, setName] = useState(shelf.name);
  const rename = useRename();
  const lacking = name.trim() === "" ? "Type a name first" : undefined;
  return (
    <SideSheet title={`Rename “${shelf.name}”`} open onClose={onClose}>
      <form
        className="add-slot"
        onSubmit={(event) => {
          event.preventDefault();
          if (lacking === undefined) rename.mutate({ ...shelf, name, seen: shelf.name }, { onSuccess: onClose });
        }}
      >
        <label htmlFor="new-name">Name of the {shelf.kind}</label>
        <Input
          id="new-name"
          value={name}
          maxLength={80}
          ref={focused}
          onFocus={({ target }) => {
            target.select();
          }}
          onChange={({ target }) => {
            setName(target.value);
          }}
        />
        <Button
          type="primary"
          htmlType="submit"
          loading={rename.isPending}
          disabled={lacking !== undefined}
          title={lacking}
        >
          Rename
        </Button>
        {rename.error && <ProblemNote error={rename.error} />}
      </form>
    </SideSheet>
  );
}
