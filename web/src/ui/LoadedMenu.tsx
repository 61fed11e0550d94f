import { Button, Dropdown, type ButtonProps, type MenuProps } from "antd";
import { useEffect, useRef, useState } from "react";

interface Props {
  items: NonNullable<MenuProps["items"]>;
  button: ButtonProps;
}

/** A menu that is open once it has come, with the focus on its button as it was before. */
export function LoadedMenu({ items, button }: Props) {
  const [open, setOpen] = useState(true);
  const place = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    place.current?.focus();
  }, []);
  return (
    <Dropdown menu={{ items }} trigger={["click"]} open={open} onOpenChange={setOpen}>
      <Button {...button} ref={place} aria-haspopup="menu" />
    </Dropdown>
  );
}
