import { useQuery } from "@tanstack/react-query";
import { CalendarDays } from "lucide-react";
import { useEffect, useId, useRef, useState, type KeyboardEvent } from "react";
import { api, must, type Field } from "../api/client";
import { cx, inputClass } from "../ui/parts";
import { partsOf, type Kind, type Spot } from "./mapping";

/** Where the focus goes when a cell is done with. */
export type Move = "stay" | "down" | "right";

interface Offer {
  text: string;
  label: string;
}

/** The field that a column goes to, with the record that it is of. */
export function fieldAt(kinds: Kind[], at: Spot | undefined): { kind: Kind; field: Field } | undefined {
  if (!at) return undefined;
  const [draft, name] = partsOf(at);
  const kind = kinds.find((k) => k.name === draft);
  const field = kind?.t.fields.find((f) => f.name === name);
  return kind && field ? { kind, field } : undefined;
}

const asked = new Set(["choice", "country", "language", "currency", "reference"]);

/** Whether the service knows near misses for values of the field. */
export function hasNear(f: Field): boolean {
  return asked.has(f.type);
}

/** What a text may have meant for a field, the nearest first. */
export function useNear(workspace: string, id: number, draft: string, field: Field | undefined, text: string) {
  const on = !!field && (hasNear(field) || field.type === "email") && text.trim().length > 0;
  return useQuery({
    queryKey: ["near", workspace, id, draft, field?.name, text],
    enabled: on,
    staleTime: 60_000,
    placeholderData: (was) => (on ? was : undefined),
    queryFn: () =>
      must(
        api.GET("/workspaces/{workspace}/imports/{import}/near", {
          params: { path: { workspace, import: id }, query: { draft, field: field?.name ?? "", text: text.trim() } },
        }),
      ),
  });
}

/**
 * The editor of a cell: a text, with what its field can be to choose from,
 * near misses first, and a calendar for dates. Enter keeps it, Escape leaves it.
 */
export function CellEditor(p: {
  workspace: string;
  importId: number;
  label: string;
  kind?: Kind | undefined;
  field?: Field | undefined;
  text: string;
  onDone: (text: string | undefined, move: Move) => void;
  className?: string;
  /** In a panel: it stays open, and keeps nothing when it loses the focus. */
  stays?: boolean;
}) {
  const { field } = p;
  const [text, setText] = useState(p.text);
  const [late, setLate] = useState(p.text); // for what is asked of the service
  const [on, setOn] = useState(-1);
  const [open, setOpen] = useState(!p.stays);
  const id = useId();
  const input = useRef<HTMLInputElement>(null);
  const calendar = useRef<HTMLInputElement>(null);
  const done = useRef(false);
  useEffect(() => {
    const wait = setTimeout(() => setLate(text), 120);
    return () => clearTimeout(wait);
  }, [text]);
  useEffect(() => {
    if (p.stays) return;
    input.current?.focus();
    input.current?.setSelectionRange(text.length, text.length);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once, when it opens
  }, []);
  const near = useNear(p.workspace, p.importId, p.kind?.name ?? "", field, late);
  const offers: Offer[] = (near.data?.near ?? []).map((n) => ({ text: n.text, label: n.label }));
  if (field?.type === "yes_no") offers.push({ text: "yes", label: "Yes" }, { text: "no", label: "No" });
  for (const c of field?.choices ?? [])
    if (!c.closed && !offers.some((o) => o.text === c.code)) offers.push({ text: c.code, label: c.label });
  const dated = field?.type === "date" || field?.type === "date_time";

  const end = (value: string | undefined, move: Move) => {
    if (done.current) return;
    done.current = !p.stays;
    p.onDone(value, move);
  };
  const onKey = (e: KeyboardEvent) => {
    switch (e.key) {
      case "ArrowDown":
        if (!offers.length) return;
        setOpen(true);
        setOn(Math.min(offers.length - 1, on + 1));
        break;
      case "ArrowUp":
        if (!offers.length) return;
        setOn(Math.max(-1, on - 1));
        break;
      case "Enter":
        end(offers[on]?.text ?? text, "down");
        break;
      case "Tab":
        if (p.stays) return;
        end(offers[on]?.text ?? text, "right");
        break;
      case "Escape":
        end(undefined, "stay");
        break;
      default:
        return;
    }
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <div className={cx("relative", p.className)} onClick={(e) => e.stopPropagation()}>
      <input
        ref={input}
        dir="auto"
        aria-label={p.label}
        role={offers.length ? "combobox" : undefined}
        aria-expanded={offers.length ? open : undefined}
        aria-controls={offers.length ? `${id}-list` : undefined}
        aria-activedescendant={on >= 0 ? `${id}-${on}` : undefined}
        aria-autocomplete={offers.length ? "list" : undefined}
        className={cx(inputClass, "h-full! min-h-[26px] rounded-none! border-act! px-2!", dated && "pr-8!")}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          setOn(-1);
          setOpen(true);
        }}
        onFocus={() => p.stays && setOpen(true)}
        onKeyDown={onKey}
        onBlur={(e) => {
          if (e.relatedTarget instanceof Node && e.currentTarget.parentElement?.contains(e.relatedTarget)) return;
          setOpen(false);
          if (!p.stays) end(text, "stay");
        }}
      />
      {dated && (
        <>
          <button
            type="button"
            aria-label="Choose from a calendar"
            className="absolute top-0.5 right-1 rounded p-1 text-ink-soft hover:bg-act-soft"
            onMouseDown={(e) => e.preventDefault()}
            onClick={() => calendar.current?.showPicker()}
          >
            <CalendarDays size={14} aria-hidden />
          </button>
          <input
            ref={calendar}
            type="date"
            tabIndex={-1}
            aria-hidden
            className="pointer-events-none absolute bottom-0 left-0 h-0 w-0 opacity-0"
            onChange={(e) => e.target.value && end(e.target.value, "stay")}
          />
        </>
      )}
      {open && offers.length > 0 && (
        <ul
          id={`${id}-list`}
          role="listbox"
          aria-label={`What ${p.label} can be`}
          className="absolute top-full left-0 z-50 max-h-56 min-w-full overflow-auto rounded-b-md border border-line bg-raised py-1 shadow-pop"
        >
          {offers.map((o, n) => (
            <li
              key={o.text + o.label}
              id={`${id}-${n}`}
              role="option"
              aria-selected={n === on}
              className={cx("cursor-pointer px-2 py-1 whitespace-nowrap", n === on ? "bg-act-soft" : "hover:bg-act-soft")}
              onMouseDown={(e) => {
                e.preventDefault();
                end(o.text, p.stays ? "down" : "stay");
                setText(o.text);
                setOpen(false);
              }}
            >
              {o.label} {o.text !== o.label && <span className="text-[12px] text-ink-faint">{o.text}</span>}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
