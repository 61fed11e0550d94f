import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Button, Input, InputNumber, Segmented, Select } from "antd";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, unwrap } from "../api/client";
import { useLayouts } from "../api/useLayouts";
import { count } from "../ui/figures";
import { notices } from "../ui/notice";
import { ProblemNote } from "../ui/ProblemNote";
import { MultiSelect } from "../ui/MultiSelect";
import { SideSheet } from "../ui/SideSheet";
import { usePictures } from "../api/usePictures";

type Ground = "colour" | "picture";

/** Creates a banner from a slot's exact size, or a row of them at one height. */
export function BannerSheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const layouts = useLayouts();
  const [slots, setSlots] = useState<string[]>([]);
  const [name, setName] = useState("Banner");
  const [kind, setKind] = useState<Ground>("colour");
  const [colour, setColour] = useState("#0b2f31");
  const [picture, setPicture] = useState<string>();
  const [text, setText] = useState("");
  const [height, setHeight] = useState<number | null>(null);
  const [search, setSearch] = useState("");
  const found = usePictures({ search }, { sort: "name", descending: false });
  const begin = useMutation({
    mutationFn: async () => {
      const ground = kind === "colour" ? { colour } : { picture: picture ?? "" };
      return unwrap(await api.POST("/banners", { body: { slots, name, ground, height, text } }));
    },
    onSuccess: async (made) => {
      const notes = made.filter(({ height_note }) => height_note).map((one) => `${one.name}: ${one.height_note ?? ""}`);
      notices.show({
        words: `Created ${count(made.length, "banner")}.${notes.length > 0 ? ` ${notes.join("; ")}.` : ""}`,
      });
      await queries.invalidateQueries();
      onClose();
      const first = made[0];
      if (first) void navigate(`/bench/${first.picture}?step=finish&slot=${first.slot}`);
    },
  });
  const hindrance =
    slots.length === 0
      ? "Choose a slot"
      : !name.trim()
        ? "Type a name"
        : kind === "picture" && !picture
          ? "Choose a picture"
          : undefined;
  return (
    <SideSheet title="New banner" open={open} onClose={onClose}>
      <form
        className="add-slot"
        onSubmit={(event) => {
          event.preventDefault();
          if (!hindrance) begin.mutate();
        }}
      >
        <label htmlFor="banner-slots">For the slots</label>
        <MultiSelect<string>
          id="banner-slots"
          value={slots}
          placeholder="One, or a row of them"
          showSearch={{ optionFilterProp: "label" }}
          options={layouts.data?.slots.map((slot) => ({ value: slot.id, label: slot.name })) ?? []}
          onChange={setSlots}
        />
        <label htmlFor="banner-name">Name</label>
        <Input
          id="banner-name"
          value={name}
          onChange={({ target }) => {
            setName(target.value);
          }}
        />
        <span className="row">
          Background
          <Segmented
            aria-label="Background of the banner"
            value={kind}
            options={[
              { value: "colour", label: "a colour" },
              { value: "picture", label: "a picture" },
            ]}
            onChange={setKind}
          />
          {kind === "colour" && (
            <input
              type="color"
              aria-label="Colour of the background"
              value={colour}
              onChange={({ target }) => {
                setColour(target.value);
              }}
            />
          )}
        </span>
        {kind === "picture" && (
          <Select
            aria-label="Picture of the background"
            showSearch={{ filterOption: false, onSearch: setSearch }}
            value={picture ?? null}
            placeholder="Name of a picture"
            options={
              found.data?.pages.flatMap((page) => page.pictures).map((one) => ({ value: one.id, label: one.name })) ??
              []
            }
            onChange={(next: string | null) => {
              setPicture(next ?? undefined);
            }}
          />
        )}
        <label htmlFor="banner-text">Text on it</label>
        <Input
          id="banner-text"
          value={text}
          placeholder="none"
          onChange={({ target }) => {
            setText(target.value);
          }}
        />
        <label className="row">
          Height
          <InputNumber
            aria-label="Height of the banners in CSS px"
            min={1}
            max={8000}
            value={height}
            placeholder="the slot's"
            onChange={setHeight}
          />
          <span className="soft">CSS px{slots.length > 1 ? ", all of the row" : ""}</span>
        </label>
        <span className="soft">
          It has the slot&apos;s exact size at its highest density. How the text is set, a colour overlay and a border
          stand under Finish.
        </span>
        <Button
          type="primary"
          htmlType="submit"
          loading={begin.isPending}
          disabled={hindrance !== undefined}
          title={hindrance}
        >
          Create {slots.length > 1 ? `${slots.length} banners` : "banner"}
        </Button>
        {begin.error && <ProblemNote error={begin.error} />}
      </form>
    </SideSheet>
  );
}
