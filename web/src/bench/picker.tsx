import { useQuery } from "@tanstack/react-query";
import { Popover as P } from "radix-ui";
import { useMemo, useRef, useState, type ReactNode } from "react";
import type { Field, Parting } from "../api/client";
import { who } from "../api/queries";
import { Button, cx, inputClass } from "../ui/parts";
import { fillable } from "../ui/rights";
import { spot, titleOf, type Kind, type Spot } from "./mapping";

/** A type-ahead choice of a field of the records that a row becomes: searches label, name and synonyms. */
export function FieldPicker(p: {
  kinds: Kind[];
  label: string;
  value: Spot[];
  taken: Map<Spot, string>;
  /** What it seems to be, the likeliest first, with the reasons. */
  perhaps?: { to: Spot; reason: string }[];
  /** With also the column stays in the other records of the row. */
  onPick: (to: Spot | "", also: boolean) => void;
  /** Several fields at once, a part of each cell to each. */
  partings: { p: Parting; label: string }[];
  onPart: (p: Parting) => void;
  /** Puts the column into the notes, and makes a field for it; left out where that cannot be. */
  onNotes?: (() => void) | undefined;
  onNew?: (() => void) | undefined;
  trigger: ReactNode;
}) {
  const { data: me } = useQuery(who);
  const kinds = useMemo(() => fillable(me?.role, p.kinds), [me?.role, p.kinds]);
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  // What Enter would take: 0 is to leave the column out, -1 is nothing.
  const [at, setAt] = useState(-1);
  const list = useRef<HTMLUListElement>(null);
  const [also, setAlso] = useState(false);
  const several = p.kinds.length > 1;
  const perhaps = p.perhaps ?? [];
  const found = useMemo(() => {
    const list = search(ordered(kinds, p.value), text);
    const likely = (p.perhaps ?? []).flatMap((x) => list.find((f) => f.to === x.to) ?? []);
    return [...likely, ...list.filter((f) => !likely.includes(f))];
  }, [kinds, p.value, p.perhaps, text]);
  const parted = p.partings.filter((x) => x.label.toLowerCase().includes(text.toLowerCase().trim()));
  const last = found.length + parted.length;
  const current = () => {
    if (perhaps.length > 0) return -1;
    const n = search(ordered(kinds, p.value), "").findIndex((x) => p.value.includes(x.to));
    return n < 0 ? -1 : n + 1;
  };
  const pick = (to: Spot | "") => {
    setOpen(false);
    setText("");
    p.onPick(to, also && to !== "");
  };
  const pickParts = (x: Parting) => {
    setOpen(false);
    setText("");
    p.onPart(x);
  };
  const move = (by: number) => {
    const next = Math.max(0, Math.min(last, at + by));
    setAt(next);
    list.current?.children[next]?.scrollIntoView({ block: "nearest" });
  };
  return (
    <P.Root
      open={open}
      onOpenChange={(o) => {
        setOpen(o);
        setAt(current());
        setAlso(false);
      }}
    >
      <P.Trigger asChild>{p.trigger}</P.Trigger>
      <P.Portal>
        <P.Content align="start" sideOffset={4} className="z-50 w-72 rounded-md border border-line bg-raised p-2 shadow-pop">
          <input
            role="combobox"
            aria-expanded
            aria-controls="fields"
            aria-label={p.label}
            aria-activedescendant={at < 0 ? undefined : `field-${at}`}
            autoFocus
            className={inputClass}
            placeholder="Search fields"
            value={text}
            onChange={(e) => {
              setText(e.target.value);
              const hits = search(ordered(kinds, p.value), e.target.value).length;
              setAt(e.target.value.trim() ? (hits ? 1 : -1) : current());
            }}
            onKeyDown={(e) => {
              if (e.key === "ArrowDown") move(1);
              else if (e.key === "ArrowUp") move(-1);
              else if (e.key === "Enter") {
                const to = found[at - 1]?.to;
                const some = parted[at - 1 - found.length];
                if (at === 0) pick("");
                else if (to)
                  pick(to); // no hit, no act
                else if (some) pickParts(some.p);
              } else return;
              e.preventDefault();
            }}
          />
          <ul id="fields" role="listbox" ref={list} className="mt-1.5 max-h-72 overflow-auto">
            <Option id="field-0" on={at === 0} chosen={p.value.length === 0} onPick={() => pick("")}>
              <span className="text-ink-soft">leave this column out</span>
            </Option>
            {found.map(({ f, k, to }, n) => {
              const by = p.taken.get(to);
              return (
                <Option key={to} id={`field-${n + 1}`} on={at === n + 1} chosen={p.value.includes(to)} onPick={() => pick(to)}>
                  <span className="min-w-0">
                    {several && <span className="text-ink-soft">{titleOf(k, p.kinds)} · </span>}
                    {f.label}
                    {f.required && <b className="text-ask"> *</b>}
                  </span>
                  <span className="ml-auto truncate pl-2 text-[11.5px] text-ink-faint">
                    {by ? `from ${by}` : (perhaps.find((x) => x.to === to)?.reason ?? f.type.replace("_", " "))}
                  </span>
                </Option>
              );
            })}
            {parted.map(({ p: x, label }, n) => {
              const place = found.length + n + 1;
              return (
                <Option key={label} id={`field-${place}`} on={at === place} chosen={false} onPick={() => pickParts(x)}>
                  <span className="min-w-0">{label}</span>
                  <span className="ml-auto pl-2 text-[11.5px] text-ink-faint">parted</span>
                </Option>
              );
            })}
          </ul>
          {several && p.value.length > 0 && (
            <label className="mt-1.5 flex items-center gap-1.5 border-t border-line pt-1.5 text-[12.5px]">
              <input type="checkbox" checked={also} onChange={() => setAlso(!also)} />
              It stays where it is too
            </label>
          )}
          {(p.onNotes ?? p.onNew) && (
            <div className="mt-1.5 flex gap-1.5 border-t border-line pt-1.5">
              {p.onNotes && (
                <Button
                  look="quiet"
                  onClick={() => {
                    setOpen(false);
                    p.onNotes?.();
                  }}
                >
                  Add to the notes
                </Button>
              )}
              {p.onNew && (
                <Button
                  look="quiet"
                  onClick={() => {
                    setOpen(false);
                    p.onNew?.();
                  }}
                >
                  A new field…
                </Button>
              )}
            </div>
          )}
        </P.Content>
      </P.Portal>
    </P.Root>
  );
}

/** The kinds with those first that the column goes to. */
function ordered(kinds: Kind[], value: Spot[]): Kind[] {
  const own = kinds.filter((k) => value.some((s) => s.startsWith(`${k.name}.`)));
  return [...own, ...kinds.filter((k) => !own.includes(k))];
}

function Option(p: { id: string; on: boolean; chosen: boolean; onPick: () => void; children: ReactNode }) {
  return (
    <li
      id={p.id}
      role="option"
      aria-selected={p.chosen}
      onClick={p.onPick}
      className={cx(
        "flex items-baseline rounded px-2 py-1.5 text-[13px]",
        p.on ? "bg-act-soft" : "hover:bg-act-soft",
        p.chosen && "font-medium",
      )}
    >
      {p.children}
    </li>
  );
}

interface Found {
  k: Kind;
  f: Field;
  to: Spot;
}

function search(kinds: Kind[], text: string): Found[] {
  const id: Field = { name: "id", label: "Record id", type: "text" };
  const all = kinds.flatMap((k) => [...k.t.fields, id].map((f) => ({ k, f, to: spot(k.name, f.name) })));
  const words = text.toLowerCase().trim();
  if (!words) return all;
  const rank = ({ k, f }: Found) => {
    const names = [f.label, f.name, `${k.t.label} ${f.label}`, ...(f.synonyms ?? [])].map((s) => s.toLowerCase());
    if (names.slice(0, 3).some((n) => n.startsWith(words))) return 3;
    if (names.slice(0, 3).some((n) => n.includes(words))) return 2;
    return names.some((n) => n.includes(words)) ? 1 : 0;
  };
  return all.filter((x) => rank(x) > 0).sort((a, b) => rank(b) - rank(a));
}
