import { Button, type ButtonProps, type MenuProps } from "antd";
import { lazy, Suspense, useState } from "react";

const LoadedMenu = lazy(() => import("./LoadedMenu").then(({ LoadedMenu }) => ({ default: LoadedMenu })));

interface Props extends ButtonProps {
  items: NonNullable<MenuProps["items"]>;
}

/** A button with a menu behind it; what draws menus comes when the first one is opened. */
export function MenuButton({ items, ...button }: Props) {
  const [wanted, setWanted] = useState(false);
  const plain = (
    <Button
      {...button}
      aria-haspopup="menu"
      onClick={() => {
        setWanted(true);
      }}
    />
  );
  if (!wanted) return plain;
  return (
    <Suspense fallback={plain}>
      <LoadedMenu items={items} button={button} />
    </Suspense>
  );
}
