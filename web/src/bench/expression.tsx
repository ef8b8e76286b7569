import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { api, must, type Import, type Routine } from "../api/client";
import { Button, cx, Dialog, inputClass, Wrong } from "../ui/parts";
import { partsOf, setDraft, setOrigin, routineOf, type Kind, type Spot } from "./mapping";

/** What an expression may say beside cells and fields. */
const helpers: [insert: string, says: string][] = [
  [".lower()", "small letters"],
  [".upper()", "capitals"],
  [".title()", "capitals at the words' beginnings"],
  [".trim()", "no blanks around"],
  [".digits()", "only its digits"],
  ['.replace("", "")', "one text for another"],
  ['.split(",")[0]', "a part between separators"],
  ['.contains("")', "whether it holds a text"],
  ['.startsWith("")', "whether it begins so"],
  [".year()", "the year of a date: fields hold dates as 2026-12-31"],
  [".month()", "its month, 1 to 12"],
  [".day()", "its day, 1 to 31"],
];

interface Offer {
  text: string;
  says: string;
}

/** What can follow at the end of a text: columns, fields and helpers that begin as what stands there. */
function offersFor(before: string, columns: string[], fields: string[]): { from: number; list: Offer[] } {
  const cell = /cells\["?([^"\]]*)$/.exec(before);
  const field = /fields\["?([^"\]]*)$/.exec(before);
  const helper = /["\])](\.\w*)$/.exec(before);
  const word = /(^|[^\w".])(\w+)$/.exec(before);
  const begins = (all: string[], part: string) => all.filter((c) => c.toLowerCase().includes(part.toLowerCase()));
  if (cell)
    return {
      from: cell.index,
      list: begins(columns, cell[1] ?? "").map((c) => ({ text: `cells[${JSON.stringify(c)}]`, says: "column" })),
    };
  if (field)
    return {
      from: field.index,
      list: begins(fields, field[1] ?? "").map((f) => ({ text: `fields[${JSON.stringify(f)}]`, says: "field before" })),
    };
  if (helper)
    return {
      from: before.length - (helper[1] ?? "").length,
      list: helpers.filter(([h]) => h.startsWith(helper[1] ?? "")).map(([text, says]) => ({ text, says })),
    };
  if (word)
    return {
      from: before.length - (word[2] ?? "").length,
      list: begins(columns, word[2] ?? "").map((c) => ({ text: `cells[${JSON.stringify(c)}]`, says: "column" })),
    };
  return { from: before.length, list: [] };
}

/**
 * An expression over a row, with completion of columns, fields and helpers, and
 * with what it makes of the first rows while it is typed. Without a field it is
 * the condition of the draft.
 */
export function ExpressionDialog(p: {
  workspace: string;
  i: Import;
  kind: Kind;
  at?: Spot;
  row: number;
  title: string;
  value: string;
  onClose: () => void;
  onSave: (r: Routine) => Promise<unknown>;
}) {
  const { i, kind } = p;
  const [v, setV] = useState(p.value);
  const [error, setError] = useState<unknown>();
  const [open, setOpen] = useState(false);
  const [chosen, setChosen] = useState(0);
  const [caret, setCaret] = useState(p.value.length);
  const box = useRef<HTMLTextAreaElement>(null);
  const columns = useMemo(() => i.columns?.map((c) => c.header) ?? [], [i.columns]);
  const offers = offersFor(
    v.slice(0, caret),
    columns,
    kind.t.fields.map((f) => f.name),
  );
  const list = open ? offers.list.slice(0, 8) : [];
  const routine = (text: string) =>
    p.at ? setOrigin(i, p.at, text ? { compute: text } : undefined) : setDraft(routineOf(i), kind.name, { where: text });
  const settled = useSettled(v.trim(), 150);
  const shown = useQuery({
    queryKey: ["preview", p.workspace, i.id, kind.name, p.at ?? "", settled, p.row, i.changed_at],
    enabled: settled !== "" && i.rows > 0,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () =>
      must(
        api.POST("/workspaces/{workspace}/imports/{import}/preview", {
          params: { path: { workspace: p.workspace, import: i.id } },
          body: {
            routine: routine(settled),
            draft: kind.name,
            ...(p.at ? { field: partsOf(p.at)[1] } : {}),
            after: Math.max(0, p.row - 1),
          },
        }),
      ),
  });
  const put = (text: string, from = caret) => {
    const next = v.slice(0, from) + text + v.slice(caret);
    const hole = text.indexOf('""');
    const to = from + (hole >= 0 ? hole + 1 : text.length);
    setV(next);
    setCaret(to);
    setOpen(false);
    requestAnimationFrame(() => {
      box.current?.focus();
      box.current?.setSelectionRange(to, to);
    });
  };
  return (
    <Dialog
      open
      wide
      unsaved={v.trim() !== p.value}
      onClose={p.onClose}
      title={p.title}
      foot={
        <Button look="act" onClick={() => void p.onSave(routine(v.trim())).then(p.onClose, setError)}>
          Use it
        </Button>
      }
    >
      <div className="relative">
        <textarea
          ref={box}
          role="combobox"
          aria-label="Expression in CEL"
          aria-expanded={list.length > 0}
          aria-controls="offers"
          aria-activedescendant={list.length > 0 ? `offer-${chosen}` : undefined}
          autoFocus
          spellCheck={false}
          placeholder={
            p.at
              ? `cells[${JSON.stringify(columns[0] ?? "Name")}].title()`
              : `cells[${JSON.stringify(columns[0] ?? "State")}] != "gone"`
          }
          className={cx(inputClass, "h-20 py-2 font-mono")}
          value={v}
          onChange={(e) => {
            setV(e.target.value);
            setCaret(e.target.selectionStart);
            setOpen(true);
            setChosen(0);
          }}
          onSelect={(e) => setCaret(e.currentTarget.selectionStart)}
          onBlur={() => setOpen(false)}
          onKeyDown={(e) => {
            if (e.key === " " && e.ctrlKey) setOpen(true);
            else if (!list.length) return;
            else if (e.key === "ArrowDown") setChosen((chosen + 1) % list.length);
            else if (e.key === "ArrowUp") setChosen((chosen + list.length - 1) % list.length);
            else if (e.key === "Enter" || e.key === "Tab") put(list[chosen]?.text ?? "", offers.from);
            else if (e.key === "Escape") {
              setOpen(false);
              e.stopPropagation();
            } else return;
            e.preventDefault();
          }}
        />
        {list.length > 0 && (
          <ul
            id="offers"
            role="listbox"
            className="absolute top-full left-0 z-10 mt-1 w-full overflow-auto rounded-md border border-line bg-raised p-1 shadow-pop"
          >
            {list.map((o, n) => (
              <li
                key={o.text}
                id={`offer-${n}`}
                role="option"
                aria-selected={n === chosen}
                onMouseDown={(e) => {
                  e.preventDefault();
                  put(o.text, offers.from);
                }}
                className={cx("flex justify-between gap-3 rounded px-2 py-1", n === chosen && "bg-act-soft")}
              >
                <code className="truncate font-mono text-[12.5px]">{o.text}</code>
                <span className="text-[12px] whitespace-nowrap text-ink-faint">{o.says}</span>
              </li>
            ))}
          </ul>
        )}
      </div>
      <p className="mt-1 text-[12px] text-ink-faint">
        {p.at ? "The value for each row" : "Rows for which it does not hold are left out"}. Type a column&apos;s name, or a dot
        behind a text, and choose with the arrow keys; Ctrl and the space bar open the list.
      </p>
      <Wrong error={error} className="mt-2" />
      <div className="mt-3 min-h-44">
        <h4 className="mb-1 text-[13px] text-ink-soft">What it makes of the rows</h4>
        {shown.error ? (
          <p className="text-[12.5px] text-ink-soft">{shown.error.message}.</p>
        ) : (
          <table className={cx("w-full text-[12.5px]", shown.isFetching && "opacity-60")}>
            <tbody>
              {settled &&
                shown.data?.rows.map((r) => (
                  <tr key={r.row} className="border-b border-line last:border-0">
                    <td className="figures w-16 py-0.5 text-ink-faint">row {r.row}</td>
                    <td dir="auto" className={cx("py-0.5", r.problem?.code && "text-ask")}>
                      {r.problem?.code
                        ? `${r.problem.value ?? ""} ${r.problem.message}.`
                        : p.at
                          ? r.left_out
                            ? "no such record"
                            : r.text || "nothing"
                          : r.left_out
                            ? "– left out"
                            : "✓ taken"}
                    </td>
                  </tr>
                ))}
            </tbody>
          </table>
        )}
      </div>
      <div className="mt-3 flex max-h-24 flex-wrap gap-1 overflow-auto" role="group" aria-label="Columns">
        {columns.map((c) => (
          <Button
            key={c}
            look="quiet"
            className="h-7 border-line px-2 font-mono text-[12px]"
            onClick={() => put(`cells[${JSON.stringify(c)}]`)}
          >
            {c}
          </Button>
        ))}
      </div>
    </Dialog>
  );
}

/** A value when it has not changed for a while. */
function useSettled<T>(v: T, ms: number): T {
  const [settled, setSettled] = useState(v);
  useEffect(() => {
    const t = setTimeout(() => setSettled(v), ms);
    return () => clearTimeout(t);
  }, [v, ms]);
  return settled;
}
