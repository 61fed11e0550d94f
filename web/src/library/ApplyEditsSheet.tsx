import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Button, Select } from "antd";
import { useState } from "react";
import { api, unwrap, type Which } from "../api/client";
import { useEditPresets } from "../api/useEditPresets";
import { nameOf, useEditKinds } from "../api/useEditKinds";
import { count } from "../ui/figures";
import { notices } from "../ui/notice";
import { ProblemNote } from "../ui/ProblemNote";
import { SideSheet } from "../ui/SideSheet";

interface Props {
  which: Which | undefined;
  pictures: number;
  onClose: () => void;
}

/** Applies an edit preset to many pictures at once. */
export function ApplyEditsSheet({ which, pictures, onClose }: Props) {
  const queries = useQueryClient();
  const finishes = useEditPresets();
  const { kinds = [] } = useEditKinds().data ?? {};
  const [id, setId] = useState<string>();
  const chosen = finishes.data?.find((one) => one.id === id);
  const lay = useMutation({
    mutationFn: async ({ of, to }: { of: string; to: Which }) =>
      unwrap(await api.POST("/finishes/{id}/lay", { params: { path: { id: of } }, body: { which: to } })),
    onSuccess: async ({ change, refused }) => {
      const left =
        refused.length > 0 ? ` ${count(refused.length, "picture")} left as they were: ${refused[0] ?? ""}` : "";
      notices.show({
        words: `${change ? `${count(change.pictures, "picture")} have these edits now.` : "Nothing changed."}${left}`,
        ...(change && { change: change.id }),
      });
      await queries.invalidateQueries();
      onClose();
    },
  });
  const none = finishes.data?.length === 0;
  return (
    <SideSheet title={`Apply edits to ${count(pictures, "picture")}`} open={which !== undefined} onClose={onClose}>
      <div className="add-slot">
        {none && (
          <span className="soft">
            No edit preset was saved yet. Make one on the bench under Finish, and save it under a name.
          </span>
        )}
        <Select
          aria-label="Edit preset"
          value={id ?? null}
          placeholder="Choose an edit preset"
          disabled={none}
          title={none ? "None was saved yet" : ""}
          options={finishes.data?.map((one) => ({ value: one.id, label: one.name })) ?? []}
          onChange={(next: string | null) => {
            setId(next ?? undefined);
          }}
        />
        {chosen && (
          <ol className="places">
            {chosen.edits.steps.map((step, n) => (
              <li key={n}>{nameOf(kinds, step.kind)}</li>
            ))}
          </ol>
        )}
        <span className="soft">
          They replace the pictures&apos; own edits; how each was rotated and straightened stays, unless the preset says
          otherwise. They apply at once, and can be taken back together.
        </span>
        <Button
          type="primary"
          loading={lay.isPending}
          disabled={!chosen}
          title={chosen ? undefined : "Choose an edit preset"}
          onClick={() => {
            if (chosen && which) lay.mutate({ of: chosen.id, to: which });
          }}
        >
          Apply
        </Button>
        {lay.error && <ProblemNote error={lay.error} />}
      </div>
    </SideSheet>
  );
}
