import { Button, Input, Select } from "antd";
import { useState } from "react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { accept, api, unwrap, type Adjustments } from "../../api/client";
import { notices } from "../../ui/notice";
import { ProblemNote } from "../../ui/ProblemNote";

export function useFinishes() {
  return useQuery({
    queryKey: ["finishes"],
    queryFn: async ({ signal }) => unwrap(await api.GET("/finishes", { signal })),
  });
}

/** Takes the edits of a saved list, or saves these under a name. */
export function NamedFinishes({
  adjustments,
  onTake,
}: {
  adjustments: Adjustments;
  onTake: (adjustments: Adjustments, name: string) => void;
}) {
  const queries = useQueryClient();
  const finishes = useFinishes();
  const [name, setName] = useState<string>();
  const plain = (adjustments.edits?.steps ?? []).every((step) => step.off);
  const save = useMutation({
    mutationFn: async (called: string) => {
      accept(
        await api.POST("/finishes", {
          body: { name: called, edits: adjustments.edits ?? { version: 1, steps: [] } },
        }),
      );
    },
    onSuccess: async (_, called) => {
      setName(undefined);
      notices.show({ words: `Saved the edits as “${called}”: lay them on other pictures from the library.` });
      await queries.invalidateQueries({ queryKey: ["finishes"] });
    },
  });
  if (name !== undefined) {
    return (
      <form
        className="row"
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim()) save.mutate(name);
        }}
      >
        <Input
          aria-label="Name of the list of edits"
          size="small"
          value={name}
          placeholder="Name, such as Evening banner"
          onChange={({ target }) => {
            setName(target.value);
          }}
          onKeyDown={(event) => {
            if (event.key === "Escape") setName(undefined);
          }}
        />
        <Button
          size="small"
          htmlType="submit"
          type="primary"
          disabled={!name.trim()}
          title={name.trim() ? undefined : "Type a name"}
        >
          Save
        </Button>
        {save.error && <ProblemNote error={save.error} />}
      </form>
    );
  }
  return (
    <>
      <Select
        aria-label="Apply an edit preset"
        size="small"
        value={null}
        placeholder="Edit presets…"
        disabled={!finishes.data?.length}
        title={finishes.data?.length ? "" : "No list of edits was saved yet"}
        popupMatchSelectWidth={false}
        options={finishes.data?.map((one) => ({ value: one.id, label: one.name })) ?? []}
        onChange={(id: string | null) => {
          const found = finishes.data?.find((one) => one.id === id);
          if (found) onTake({ ...adjustments, edits: found.edits }, found.name);
        }}
      />
      <Button
        size="small"
        disabled={plain}
        title={plain ? "There is no edit in use" : "To be laid on other pictures"}
        onClick={() => {
          setName("");
        }}
      >
        Save preset…
      </Button>
    </>
  );
}
