import { X } from "lucide-react";
import { useSyncExternalStore } from "react";
import { Button } from "./parts";

interface Toast {
  id: number;
  text: string;
  undo?: () => void;
}

/** How long one is shown, in milliseconds: long enough to read it and reach the button. */
const shownFor = 10_000;

let list: Toast[] = [];
let last = 0;
const listeners = new Set<() => void>();

function set(next: Toast[]) {
  list = next;
  for (const f of listeners) f();
}

function drop(id: number) {
  set(list.filter((t) => t.id !== id));
}

/** Says what was done, with a way back where there is one. */
export function toast(text: string, undo?: () => void) {
  const id = ++last;
  set([...list.slice(-2), { id, text, ...(undo ? { undo } : {}) }]);
  setTimeout(() => drop(id), shownFor);
}

/** Where they are shown; one for the whole console. */
export function Toasts() {
  const shown = useSyncExternalStore(
    (f) => {
      listeners.add(f);
      return () => listeners.delete(f);
    },
    () => list,
  );
  return (
    <div
      role="status"
      aria-label="What was done"
      className="pointer-events-none fixed bottom-4 left-1/2 z-50 w-max max-w-[92vw] -translate-x-1/2 space-y-2"
    >
      {shown.map((t) => (
        <div
          key={t.id}
          className="pointer-events-auto flex items-center gap-3 rounded-lg border border-line-strong bg-raised px-4 py-2 shadow-pop"
        >
          <span className="min-w-0">{t.text}</span>
          {t.undo && (
            <Button
              onClick={() => {
                t.undo?.();
                drop(t.id);
              }}
            >
              Undo
            </Button>
          )}
          <button
            type="button"
            aria-label="Close"
            className="rounded p-1 text-ink-soft hover:bg-act-soft"
            onClick={() => drop(t.id)}
          >
            <X size={14} aria-hidden />
          </button>
        </div>
      ))}
    </div>
  );
}
