import { useState } from "react";
import type { Column, Import, Origin, Routine, Suggestion } from "../api/client";
import { DataGrid, textColumn, type GridColumn } from "../ui/grid";
import { Button, Dialog, inputClass, Ticked } from "../ui/parts";
import { count } from "../ui/verdict";
import { addToNotes, labelOf, notesField, place, placed, routineOf, saidName, setOriginIn, spot, type Kind } from "./mapping";

/** One edit made of several, each on what the one before has left. */
function inTurn<T>(i: Import, list: T[], edit: (i: Import, x: T) => Routine): Routine | undefined {
  let routine = i.routine;
  for (const x of list) routine = edit({ ...i, ...(routine ? { routine } : {}) }, x);
  return routine;
}

/** Many columns dealt with at once: all columns in a list, of which some are chosen. */
export function SeveralColumns(p: {
  i: Import;
  kinds: Kind[];
  suggested: Map<string, Suggestion>;
  onEdit: (what: string, r: Routine) => void;
  onClose: () => void;
}) {
  const { i, kinds } = p;
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [text, setText] = useState("");
  const [onlyOpen, setOnlyOpen] = useState(false);
  const goes = placed(i);
  const all = i.columns ?? [];
  const listed = all.filter(
    (c) => c.header.toLowerCase().includes(text.trim().toLowerCase()) && !(onlyOpen && (goes.has(c.header) || c.filled === 0)),
  );
  const put = (headers: string[], on: boolean) => {
    const next = new Set(chosen);
    for (const h of headers) {
      if (on) next.add(h);
      else next.delete(h);
    }
    setChosen(next);
  };
  const names = all.map((c) => c.header).filter((h) => chosen.has(h));
  const inUse = names.filter((h) => goes.has(h));
  const wanted = (h: string): Suggestion | undefined => (goes.has(h) ? undefined : p.suggested.get(h));
  const spotOf = (s: Suggestion) => spot(s.draft ?? kinds[0]?.name ?? "", s.field);
  const suggested = names.filter(wanted);
  const keeper = kinds.find((k) => notesField(k.t));
  const act = (what: string, r: Routine | undefined) => {
    if (r) p.onEdit(what, r);
    p.onClose();
  };
  const many = (n: number) => `${count(n)} ${n === 1 ? "column" : "columns"}`;
  const fieldName = (c: Column) => (goes.get(c.header) ?? []).map((s) => labelOf(kinds, saidName(kinds, s))).join(", ");
  const offer = (c: Column) => {
    const s = wanted(c.header);
    return s ? labelOf(kinds, saidName(kinds, spotOf(s))) : "";
  };
  const columns: GridColumn<Column>[] = [
    {
      id: "header",
      label: "Column",
      width: 220,
      text: (c) => c.header,
      cell: (c) => (
        <div className="overflow-hidden px-3 py-1.5 whitespace-nowrap">
          <Ticked label={c.header} on={chosen.has(c.header)} onChange={(on) => put([c.header], on)} />
        </div>
      ),
    },
    textColumn({ id: "filled", label: "Filled", width: 80, right: true, text: (c) => count(c.filled) }),
    textColumn({ id: "sample", label: "Says", width: 170, text: (c) => c.samples?.[0] ?? "" }),
    textColumn({ id: "field", label: "Goes to", width: 130, text: fieldName }),
    textColumn({ id: "offer", label: "Suggested", width: 122, text: offer }),
  ];
  return (
    <Dialog
      open
      wide
      onClose={p.onClose}
      title="Several columns at once"
      foot={
        <>
          <Button
            disabled={inUse.length === 0}
            onClick={() =>
              act(
                `${many(inUse.length)} taken out`,
                inTurn(i, inUse, (now, h) => place(now, h, "")),
              )
            }
          >
            Take {count(inUse.length)} out
          </Button>
          {keeper && (
            <Button
              disabled={names.length === 0}
              onClick={() =>
                act(
                  `${many(names.length)} → notes`,
                  inTurn(i, names, (now, h) => addToNotes(now, h, keeper)),
                )
              }
            >
              Add {count(names.length)} to the notes
            </Button>
          )}
          <Button
            look="act"
            disabled={suggested.length === 0}
            onClick={() =>
              act(
                `${many(suggested.length)} as suggested`,
                inTurn(i, suggested, (now, h) => {
                  const s = wanted(h);
                  if (!s) return routineOf(now);
                  const r = place(now, h, spotOf(s));
                  return s.take ? setOriginIn(r, spotOf(s), { from: [h], take: s.take as NonNullable<Origin["take"]> }) : r;
                }),
              )
            }
          >
            Place {count(suggested.length)} as suggested
          </Button>
        </>
      }
    >
      <div className="mb-2 flex flex-wrap items-center gap-3">
        <input
          autoFocus
          aria-label="Part of a header"
          placeholder="Part of a header"
          className={`${inputClass} w-52!`}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <Ticked label="only those without a field" on={onlyOpen} onChange={setOnlyOpen} />
        <span role="status" className="ml-auto text-[12.5px] text-ink-soft">
          {count(names.length)} of {many(all.length)} chosen
        </span>
        <Button
          look="quiet"
          onClick={() =>
            put(
              listed.map((c) => c.header),
              !listed.every((c) => chosen.has(c.header)),
            )
          }
        >
          {listed.length > 0 && listed.every((c) => chosen.has(c.header))
            ? "Choose none"
            : `Choose the ${count(listed.length)} listed`}
        </Button>
      </div>
      <DataGrid
        label="Columns of the source"
        name="several-columns"
        columns={columns}
        count={listed.length}
        rowAt={(n) => listed[n]}
        isOn={(c) => chosen.has(c.header)}
        onOpen={(c) => put([c.header], !chosen.has(c.header))}
        rowHeight={32}
        most="48vh"
      />
    </Dialog>
  );
}
