import { AutoComplete, Button, Checkbox } from "antd";
import { useState } from "react";
import type { Which } from "../api/client";
import { count } from "../ui/figures";
import { notices } from "../ui/notice";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";
import { useCollect, useShelves } from "./useLibrary";

interface Props {
  which: Which | undefined;
  pictures: number;
  onClose: () => void;
}

/** Puts pictures into a collection, in the order of the list. */
export function CollectSheet({ which, pictures, onClose }: Props) {
  const [name, setName] = useState("");
  const [add, setAdd] = useState(true);
  const shelves = useShelves();
  const collect = useCollect();
  return (
    <SideSheet title={`Collect ${count(pictures, "picture")}`} open={which !== undefined} onClose={onClose}>
      <form
        className="add-slot"
        onSubmit={(event) => {
          event.preventDefault();
          if (!which) return;
          collect.mutate(
            { name, which, add },
            {
              onSuccess: (done) => {
                notices.show({ words: `“${name}” holds ${count(done.pictures, "picture")} now.` });
                onClose();
              },
            },
          );
        }}
      >
        <label htmlFor="collection">Collection</label>
        <AutoComplete
          id="collection"
          value={name}
          onChange={setName}
          options={shelves.data?.collections.map((one) => ({ value: one.name })) ?? []}
          placeholder="Winter gallery"
        />
        <span className="soft">
          A collection keeps chosen pictures in the order in which they stand in the list, and all that meet a filter in
          that of their arrival.
        </span>
        <Checkbox
          checked={add}
          onChange={({ target }) => {
            setAdd(target.checked);
          }}
        >
          After those that are in it
        </Checkbox>
        {name.trim() ? (
          <Button type="primary" htmlType="submit" loading={collect.isPending}>
            Collect
          </Button>
        ) : (
          <Button disabled>Name a collection</Button>
        )}
        {collect.error && <ProblemNote error={collect.error} />}
      </form>
    </SideSheet>
  );
}
