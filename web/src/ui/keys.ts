import { useSyncExternalStore } from "react";

const store = "uchi.letters";
const listeners = new Set<() => void>();

/** Whether single letters and signs act as keys on this device. */
export function lettersOn(): boolean {
  return localStorage.getItem(store) !== "off";
}

export function setLetters(on: boolean) {
  if (on) localStorage.removeItem(store);
  else localStorage.setItem(store, "off");
  for (const f of listeners) f();
}

export function useLetters(): boolean {
  return useSyncExternalStore((f) => {
    listeners.add(f);
    return () => listeners.delete(f);
  }, lettersOn);
}

/** Whether a key goes into what is typed. */
export function typing(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || target.matches("input:not([type=checkbox]):not([type=radio]), textarea, select"))
  );
}

/** Whether a menu, a list or a dialog is open: keys are theirs then. */
function covered(): boolean {
  return document.querySelector("[role=menu], [role=listbox], [role=dialog], [role=alertdialog]") !== null;
}

/** The key of an event that may act for a view, small; nothing while somebody types, has something open, or has switched letters off. */
export function letterOf(e: {
  key: string;
  ctrlKey: boolean;
  metaKey: boolean;
  altKey: boolean;
  target: EventTarget | null;
}): string {
  if (e.ctrlKey || e.metaKey || e.altKey || typing(e.target) || covered()) return "";
  const key = e.key.toLowerCase();
  return key.length === 1 && !lettersOn() ? "" : key;
}
