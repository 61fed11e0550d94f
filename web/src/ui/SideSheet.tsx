import { Drawer } from "antd";
import type { ReactNode } from "react";

interface Props {
  title: string;
  open: boolean;
  onClose: () => void;
  width?: number;
  children: ReactNode;
}

const EDGE = "1px solid var(--line)";

/** A sheet at the side: the page beside it stays in use. */
export function SideSheet({ title, open, onClose, width = 400, children }: Props) {
  return (
    <Drawer
      title={title}
      open={open}
      onClose={onClose}
      size={width}
      mask={false}
      styles={{
        wrapper: { boxShadow: "none", borderLeft: EDGE },
        header: { padding: "6px 12px", borderBottom: EDGE },
        title: { fontSize: 13 },
        body: { padding: 12 },
      }}
    >
      {children}
    </Drawer>
  );
}
