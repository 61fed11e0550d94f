import { useEffect, useEffectEvent, useSyncExternalStore } from "react";

const TEXT_LIKE = /^(?!button|checkbox|color|file|image|radio|range|reset|submit)/;

/** Whether a key press belongs to something that is being typed in. */
export function isTyping(target: EventTarget | null) {
  if (!(target instanceof HTMLElement)) return false;
  if (target instanceof HTMLInputElement) return TEXT_LIKE.test(target.type);
  return target.isContentEditable || /^(TEXTAREA|SELECT)$/.test(target.tagName);
}

/** Whether what has the focus does something of its own with Enter and Space. */
export const isPressed = (target: EventTarget | null) =>
  target instanceof Element && target.closest("button, a[href], input, [role=button], [role=option]") !== null;

const KEY = "brisk-margin.shortcuts";
const listeners = new Set<() => void>();

/** Whether single letters are shortcuts; who dictates or types by other means switches them off. */
export const shortcuts = {
  isOn: () => localStorage.getItem(KEY) !== "off",
  set: (on: boolean) => {
    localStorage.setItem(KEY, on ? "on" : "off");
    for (const tell of listeners) tell();
  },
  subscribe: (tell: () => void) => {
    listeners.add(tell);
    return () => {
      listeners.delete(tell);
    };
  },
};

export const useShortcutsOn = () => useSyncExternalStore(shortcuts.subscribe, shortcuts.isOn);

/** Whether the key stands for a letter, digit or sign alone. */
const isSingle = (event: KeyboardEvent) => event.key.length === 1 && event.key !== " ";

/** Calls `handler` for key presses anywhere on the page, except while somebody types. */
export function useKey(handler: (event: KeyboardEvent) => void, kind: "keydown" | "keyup" = "keydown") {
  const call = useEffectEvent((event: KeyboardEvent) => {
    if (event.defaultPrevented || isTyping(event.target)) return;
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (isSingle(event) && !shortcuts.isOn()) return;
    // A button that has the focus does what it says, and nothing else.
    if ((event.key === "Enter" || event.key === " ") && isPressed(event.target)) return;
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
