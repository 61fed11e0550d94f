import { Button } from "antd";
import { useAddress } from "../ui/useAddress";

/** Whether requests are shown as a table, as the address says. */
export function useAsTable() {
  const [address] = useAddress();
  return address.get("as") === "table";
}

/** Has requests shown as a chart or as a table. */
export function ChartOrTable() {
  const [, change] = useAddress();
  const asTable = useAsTable();
  return (
    <Button
      aria-pressed={asTable}
      onClick={() => {
        change({ as: asTable ? undefined : "table" });
      }}
    >
      {asTable ? "Chart" : "Table"}
    </Button>
  );
}
