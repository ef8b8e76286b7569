import { useQueryClient } from "@tanstack/react-query";
import { Redo2, Undo2, type LucideIcon } from "lucide-react";
import { createContext, useContext, useEffect, useMemo, useRef, useState, useSyncExternalStore, type ReactNode } from "react";
import { api, must, type Import } from "../api/client";
import { oneImport } from "../api/queries";
import { typing } from "../ui/keys";
import { Button, Confirm, Tip, Wrong } from "../ui/parts";
import { Editing } from "./editing";
import { computedFrom, placed, telling } from "./mapping";

interface Held {
  editing: Editing;
  kept: Map<string, unknown>;
}

const Context = createContext<Held | undefined>(undefined);

/** Holds what is edited of an import, whatever row, station or tab is shown. */
export function EditedImport({ workspace, i, children }: { workspace: string; i: Import; children: ReactNode }) {
  const client = useQueryClient();
  const { id } = i;
  const first = useRef(i);
  const held = useMemo<Held>(() => {
    const path = { workspace, import: id };
    const { queryKey } = oneImport(workspace, id);
    const editing = new Editing(first.current, {
      save: (body, version) =>
        must(
          api.PUT("/workspaces/{workspace}/imports/{import}/routine", {
            params: { path, header: version ? { "If-Match": `"${version}"` } : {} },
            body,
          }),
        ),
      fetch: () => must(api.GET("/workspaces/{workspace}/imports/{import}", { params: { path } })),
      saved: (now) => client.setQueryData(queryKey, now),
    });
    return { editing, kept: new Map() };
  }, [workspace, id, client]);
  useEffect(() => held.editing.see(i), [held, i]);
  useEffect(() => {
    const again = () => held.editing.again();
    const leave = (e: BeforeUnloadEvent) => {
      if (held.editing.now().state !== "saved") e.preventDefault();
    };
    window.addEventListener("online", again);
    window.addEventListener("uchi:back", again);
    window.addEventListener("beforeunload", leave);
    return () => {
      window.removeEventListener("online", again);
      window.removeEventListener("uchi:back", again);
      window.removeEventListener("beforeunload", leave);
    };
  }, [held]);
  return <Context value={held}>{children}</Context>;
}

function useHeld(): Held {
  const held = useContext(Context);
  if (!held) throw new Error("there is no import to edit here");
  return held;
}

/** The edits of the import that is shown, and how it stands with them. */
export function useEditing() {
  const { editing } = useHeld();
  const now = useSyncExternalStore(editing.subscribe, editing.now);
  return { editing, now };
}

/** The import as its edits make it, also where the service has them not yet. */
export function useEdited(i: Import): Import {
  const { now } = useEditing();
  return useMemo(() => {
    if (!i.routine && now.state === "saved") return i;
    const shown = { ...i, routine: now.routine };
    const there = placed(shown);
    const tells = telling(shown);
    const computed = computedFrom(shown);
    const free = (i.columns ?? []).map((c) => c.header).filter((h) => !there.has(h) && !tells.has(h) && !computed.has(h));
    return { ...shown, unplaced: free };
  }, [i, now]);
}

/** State that stays while the bench is open, also when what shows it does not. */
export function useKept<T>(name: string, start: T): [T, (v: T) => void] {
  const { kept } = useHeld();
  const [value, set] = useState<T>(() => (kept.has(name) ? (kept.get(name) as T) : start));
  return [
    value,
    (v: T) => {
      kept.set(name, v);
      set(v);
    },
  ];
}

const words = { saved: "Saved", saving: "Saving…", waiting: "Not saved yet: the service does not answer", asks: "Not saved yet" };

/** Whether what was edited is saved, with undo and redo. */
export function SaveState({ disabled }: { disabled: boolean }) {
  const { editing, now } = useEditing();
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (disabled || typing(e.target) || !(e.ctrlKey || e.metaKey) || e.key.toLowerCase() !== "z") return;
      e.preventDefault();
      if (e.shiftKey) editing.redo();
      else editing.undo();
    };
    window.addEventListener("keydown", key);
    return () => window.removeEventListener("keydown", key);
  }, [editing, disabled]);
  return (
    <>
      <span
        role="status"
        className={now.state === "waiting" || now.state === "asks" ? "text-[12.5px] text-ask" : "text-[12.5px] text-ink-soft"}
      >
        {words[now.state]}
      </span>
      <span className="flex">
        <Step word="Undo" what={now.undo} keys="Ctrl+Z" icon={Undo2} disabled={disabled} onStep={() => editing.undo()} />
        <Step word="Redo" what={now.redo} keys="Ctrl+Shift+Z" icon={Redo2} disabled={disabled} onStep={() => editing.redo()} />
      </span>
      <Confirm
        fixed
        open={now.state === "asks"}
        title="Somebody else has changed the same"
        yes="Make my change"
        no="Keep theirs"
        onYes={() => editing.answer(true)}
        onNo={() => editing.answer(false)}
      >
        <p>
          Your change: <b className="font-medium">{now.asks}</b>. Meanwhile somebody else has changed the same place. Theirs is
          there now; yours is not saved.
        </p>
      </Confirm>
    </>
  );
}

/** A step back or forth, with what it would take back or make again. */
function Step(p: {
  word: "Undo" | "Redo";
  what: string | undefined;
  keys: string;
  icon: LucideIcon;
  disabled: boolean;
  onStep: () => void;
}) {
  const says = p.what === undefined ? p.word : `${p.word}: ${p.what}`;
  const Icon = p.icon;
  return (
    <Tip text={p.what === undefined ? `Nothing to ${p.word.toLowerCase()}` : `${says} (${p.keys})`}>
      <Button
        look="quiet"
        className="px-2!"
        aria-label={says}
        aria-disabled={p.what === undefined || p.disabled}
        onClick={() => !p.disabled && p.onStep()}
      >
        <Icon size={15} aria-hidden />
      </Button>
    </Tip>
  );
}

/** Why the last edit was refused, until there is another. */
export function EditTrouble() {
  const { now } = useEditing();
  return now.error ? <Wrong error={now.error} className="mx-5 mb-2" /> : null;
}
