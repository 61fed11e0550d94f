import { useEffect, useEffectEvent } from "react";

/** Whether a key press belongs to a field that is being typed in. */
export function isTyping(target: EventTarget | null) {
  return (
    target instanceof HTMLElement && (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  );
}

/** Calls `handler` for key presses anywhere on the page, except while somebody types. */
export function useKey(handler: (event: KeyboardEvent) => void, kind: "keydown" | "keyup" = "keydown") {
  const call = useEffectEvent((event: KeyboardEvent) => {
    if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
    handler(event);
  });
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      call(event);
    };
    addEventListener(kind, listen);
    return () => {
      removeEventListener(kind, listen);
    };
  }, [kind]);
}
