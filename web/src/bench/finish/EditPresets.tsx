import { Button, Input, Select } from "antd";
import { useState } from "react";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { accept, api, type Adjustments } from "../../api/client";
import { useEditPresets } from "../../api/useEditPresets";
import { notices } from "../../ui/notice";
import { ProblemNote } from "../../ui/ProblemNote";

/** Takes the edits of a preset, or saves these as one. */
export function EditPresets({
  adjustments,
  onTake,
}: {
  adjustments: Adjustments;
  onTake: (adjustments: Adjustments, name: string) => void;
}) {
  const queries = useQueryClient();
  const finishes = useEditPresets();
  const [name, setName] = useState<string>();
  const plain = (adjustments.edits?.steps ?? []).every((step) => step.off);
  const save = useMutation({
    mutationFn: async (called: string) => {
      accept(
        await api.POST("/finishes", {
          body: {
            name: called,
            edits: adjustments.edits ?? { version: 1, steps: [] },
            seen: finishes.data?.find((one) => one.name === called.trim())?.edits ?? null,
          },
        }),
      );
    },
    onSuccess: async (_, called) => {
      setName(undefined);
      notices.show({ words: `Saved the edits as “${called}”. Apply them to other pictures from the library.` });
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
          aria-label="Name of the edit preset"
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
        title={finishes.data?.length ? "" : "No edit preset was saved yet"}
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
        title={plain ? "No edit is switched on" : "Saves these edits, to apply them to other pictures"}
        onClick={() => {
          setName("");
        }}
      >
        Save preset…
      </Button>
    </>
  );
}
