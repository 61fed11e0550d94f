import { Button, InputNumber, Select } from "antd";
import { useState } from "react";
import type { Margins } from "../api/client";
import { useAddress } from "../ui/useAddress";
import type { View } from "./useMargins";

const OWN = "own";

/** From where pages are looked at, as the address says. */
export function useView(): View {
  const [address] = useAddress();
  const width = Number(address.get("width"));
  const connection = address.get("connection");
  return { ...(connection && { connection }), ...(width > 0 && { width }) };
}

/** The connection and the layout width that all figures are told for. */
export function ViewChoice({ view }: { view: Margins["view"] }) {
  return (
    <>
      <ConnectionChoice {...view} />
      <WidthChoice {...view} />
    </>
  );
}

/** The connection alone. */
export function ConnectionChoice({ connection, connections }: Pick<Margins["view"], "connection" | "connections">) {
  const [, change] = useAddress();
  const [typing, setTyping] = useState(false);
  return (
    <>
      <span aria-hidden="true" className="view-word">
        Connection
      </span>
      <Select
        aria-label="Connection"
        value={connection.value}
        popupMatchSelectWidth={false}
        options={[
          ...connections.map(({ value, words }) => ({ value, label: words })),
          { value: OWN, label: "Own values…" },
        ]}
        onChange={(value) => {
          if (value === OWN) setTyping(true);
          else change({ connection: value });
        }}
      />
      {typing && (
        <OwnConnection
          value={connection.value}
          onChoose={(value) => {
            setTyping(false);
            if (value) change({ connection: value });
          }}
        />
      )}
    </>
  );
}

/** The layout width alone, where no time is told. */
export function WidthChoice({ width, widths }: Margins["view"]) {
  const [, change] = useAddress();
  return (
    widths.length > 0 && (
      <>
        <span aria-hidden="true" className="view-word">
          Layout width
        </span>
        <Select
          aria-label="Layout width"
          value={width ?? undefined}
          popupMatchSelectWidth={false}
          options={widths.map((one) => ({ value: one, label: `${one} px` }))}
          onChange={(next) => {
            change({ width: next });
          }}
        />
      </>
    )
  );
}

/** A connection by figures that somebody types. */
function OwnConnection({ value, onChoose }: { value: string; onChoose: (value?: string) => void }) {
  const [first, second] = value.split("/").map(Number);
  const [down, setDown] = useState<number | null>(first ?? null);
  const [trip, setTrip] = useState<number | null>(second ?? null);
  return (
    <form
      className="own-connection"
      onSubmit={(event) => {
        event.preventDefault();
        if (down !== null && trip !== null) onChoose(`${down}/${trip}`);
      }}
    >
      <InputNumber
        aria-label="Kilobits a second"
        min={16}
        max={10_000_000}
        precision={0}
        value={down}
        onChange={setDown}
      />
      kbit/s
      <InputNumber
        aria-label="Milliseconds there and back"
        min={0}
        max={10_000}
        precision={0}
        value={trip}
        onChange={setTrip}
      />
      ms
      {down === null || trip === null ? (
        <Button disabled title="Enter both figures">
          Apply
        </Button>
      ) : (
        <Button htmlType="submit">Apply</Button>
      )}
      <Button
        type="text"
        onClick={() => {
          onChoose();
        }}
      >
        Cancel
      </Button>
    </form>
  );
}
