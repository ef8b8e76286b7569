import type { Column, Draft, Field, Import, Origin, Parting, RecordType, Routine, Suggestion } from "../api/client";
import { nameOf } from "../ui/field";

/** One of the records that a row becomes: a draft with its name and record type. */
export interface Kind {
  name: string;
  d: Draft;
  t: RecordType;
}

/** The name of a draft in its routine. */
export function calledOf(d: Draft): string {
  return d.name ?? d.type;
}

/** The routine of an import, or an empty one for its record type. */
export function routineOf(i: Import): Routine {
  return i.routine?.drafts?.length ? i.routine : { may: "create_or_update", drafts: [{ type: i.into ?? "", fields: {} }] };
}

/** The records that a row becomes, as far as their types are known. */
export function kindsOf(r: Routine, types: RecordType[]): Kind[] {
  return r.drafts.flatMap((d) => {
    const t = types.find((x) => x.name === d.type);
    return t ? [{ name: calledOf(d), d, t }] : [];
  });
}

/** A field of a draft, written draft.field. */
export type Spot = string;

export function spot(draft: string, field: string): Spot {
  return `${draft}.${field}`;
}

export function partsOf(s: Spot): [draft: string, field: string] {
  const at = s.indexOf(".");
  return [s.slice(0, at), s.slice(at + 1)];
}

/** The name of a field as rows, problems and totals say it: the draft stands before it where there are several. */
export function saidName(kinds: Kind[], s: Spot): string {
  return kinds.length > 1 ? s : partsOf(s)[1];
}

function labelIn(t: RecordType | undefined, field: string): string {
  return field === "id" ? "Record id" : (t?.fields.find((f) => f.name === field)?.label ?? field);
}

/** What a field is called for people, from its name as rows, problems and totals say it. */
export function labelOf(kinds: Kind[], said: string): string {
  const [first] = kinds;
  if (kinds.length < 2) return labelIn(first?.t, said);
  const [draft, field] = said.includes(".") ? partsOf(said) : [said, ""];
  const k = kinds.find((x) => x.name === draft);
  if (!k) return said;
  return field ? `${titleOf(k, kinds)} · ${labelIn(k.t, field)}` : titleOf(k, kinds);
}

/** What a draft is called for people: its type, with its name where two are of one type. */
export function titleOf(k: Kind, kinds: Kind[]): string {
  return kinds.filter((x) => x.t.name === k.t.name).length > 1 ? `${k.t.label} (${k.name})` : k.t.label;
}

/** The columns that an origin takes something from. */
function columnsOf(o: Origin): string[] {
  return [...(o.from ?? []), ...Object.values(o.find ?? {}).flatMap((x) => x.from ?? [])];
}

/** Where each column goes. */
export function placed(i: Import): Map<string, Spot[]> {
  const m = new Map<string, Spot[]>();
  for (const d of routineOf(i).drafts)
    for (const [field, o] of Object.entries(d.fields))
      for (const from of columnsOf(o)) m.set(from, [...(m.get(from) ?? []), spot(calledOf(d), field)]);
  for (const list of m.values()) list.sort();
  return m;
}

/** The columns that tell of which field another is, with that other. */
export function telling(i: Import): Map<string, string> {
  const m = new Map<string, string>();
  for (const d of routineOf(i).drafts)
    for (const o of Object.values(d.fields)) if (o.when) m.set(o.when.column, (o.from ?? []).join(" + "));
  return m;
}

/** The columns from which fields are computed. */
export function computedFrom(i: Import): Set<string> {
  const found = new Set<string>();
  for (const d of routineOf(i).drafts)
    for (const o of Object.values(d.fields))
      for (const m of (o.compute ?? "").matchAll(/\bcells\[\s*(["'])(.*?)\1\s*\]/g)) if (m[2]) found.add(m[2]);
  return found;
}

/** What each field takes its value from, in a few words. */
export function takenBy(r: Routine): Map<Spot, string> {
  const m = new Map<Spot, string>();
  for (const d of r.drafts)
    for (const [field, o] of Object.entries(d.fields))
      m.set(spot(calledOf(d), field), columnsOf(o).join(" + ") || (o.draft ? `the row's ${o.draft}` : "one value"));
  return m;
}

function edit(r: Routine, draft: string, f: (fields: Record<string, Origin>) => Record<string, Origin>): Routine {
  return { ...r, drafts: r.drafts.map((d) => (calledOf(d) === draft ? { ...d, fields: f({ ...d.fields }) } : d)) };
}

function without(fields: Record<string, Origin>, column: string): Record<string, Origin> {
  const out: Record<string, Origin> = {};
  for (const [name, o] of Object.entries(fields)) {
    const from = o.from?.filter((c) => c !== column);
    if (o.from && !from?.length) continue;
    out[name] = from ? { ...o, from } : o;
  }
  return out;
}

/** Puts a column to a field ("" takes it out); it goes to one field, or with also to several drafts. */
export function place(i: Import, column: string, to: Spot, also = false): Routine {
  let r = routineOf(i);
  const [draft, field] = to ? partsOf(to) : ["", ""];
  for (const d of r.drafts) if (!also || calledOf(d) === draft) r = edit(r, calledOf(d), (fields) => without(fields, column));
  if (!to) return r;
  return edit(r, draft, (fields) => ({
    ...fields,
    [field]: { from: [column], ...(fields[field]?.otherwise ? { otherwise: fields[field].otherwise } : {}) },
  }));
}

/** The fields of a parting that it would fill: those that no other column fills, where two are left, else all. */
export function partsFor(i: Import, column: string, p: Parting): Parting["fields"] {
  const fields = routineOf(i).drafts.find((d) => calledOf(d) === p.draft)?.fields ?? {};
  const free = p.fields.filter(({ field }) => !fields[field]?.from?.length || fields[field].from.includes(column));
  return free.length > 1 ? free : p.fields;
}

/** Puts a part of a column's cells to each of several fields. */
export function part(i: Import, column: string, p: Parting): Routine {
  const parts = partsFor(i, column, p).map(({ field, take }): [string, Origin] => [
    field,
    { from: [column], ...(take ? { take: take as NonNullable<Origin["take"]> } : {}) },
  ]);
  return edit(routineOf(i), p.draft, (fields) => ({ ...without(fields, column), ...Object.fromEntries(parts) }));
}

/** Gives a field another origin; none takes it out. */
export function setOrigin(i: Import, at: Spot, o: Origin | undefined): Routine {
  return setOriginIn(routineOf(i), at, o);
}

export function setOriginIn(r: Routine, at: Spot, o: Origin | undefined): Routine {
  const [draft, field] = partsOf(at);
  return edit(r, draft, (fields) => {
    const rest = Object.fromEntries(Object.entries(fields).filter(([name]) => name !== field));
    return o ? { ...rest, [field]: o } : rest;
  });
}

export function originOf(i: Import, at: Spot): Origin | undefined {
  const [draft, field] = partsOf(at);
  return routineOf(i).drafts.find((d) => calledOf(d) === draft)?.fields[field];
}

/** What may become of the rows of a file that are for one record. */
export const repeatChoices: { value: NonNullable<Draft["repeats"]>; label: string }[] = [
  { value: "hold", label: "hold the later ones" },
  { value: "once", label: "make one, hold what contradicts" },
  { value: "first", label: "the first counts" },
  { value: "last", label: "the last counts" },
  { value: "merge", label: "make one of them, top to bottom" },
  { value: "ask", label: "ask me" },
];

/** Changes one draft of a routine. */
export function setDraft(r: Routine, name: string, part: Partial<Draft>): Routine {
  return { ...r, drafts: r.drafts.map((d) => (calledOf(d) === name ? { ...d, ...part } : d)) };
}

/** Takes a draft out, with the links to it. */
export function dropDraft(r: Routine, name: string): Routine {
  return {
    ...r,
    drafts: r.drafts
      .filter((d) => calledOf(d) !== name)
      .map((d) => ({ ...d, fields: Object.fromEntries(Object.entries(d.fields).filter(([, o]) => o.draft !== name)) })),
  };
}

/** The field that keeps notes: the first long text of the type. */
export function notesField(t: RecordType): string | undefined {
  return t.fields.find((f) => f.type === "long_text")?.name;
}

/** Adds a column to the notes of a draft, behind its header; what is there stays, and it is not added twice. */
export function addToNotes(i: Import, column: string, k: Kind): Routine {
  const name = notesField(k.t) ?? "";
  return edit(place(i, column, ""), k.name, (fields) => ({
    ...fields,
    [name]: { from: [...(fields[name]?.from ?? []), column], labelled: true, both: "add" },
  }));
}

/** A field that a column seems to want: its name, label and type by what stands in it. */
export function fieldFor(c: Column, t: RecordType): Field {
  const word = nameOf(c.header);
  let name = word || "field";
  for (let n = 2; t.fields.some((f) => f.name === name); n++) name = `${word || "field"}_${n}`;
  const guesses: Partial<Record<string, Field["type"]>> = {
    number: "decimal",
    date: "date",
    yes_no: "yes_no",
    email: "email",
    phone: "phone",
    url: "url",
  };
  const few = c.distinct > 1 && c.distinct <= 12 && c.filled >= 4 * c.distinct && (c.top?.length ?? 0) >= c.distinct;
  const type = guesses[c.guess] ?? (few ? "choice" : c.longest > 255 ? "long_text" : "text");
  const f: Field = { name, label: c.header, type };
  if (type === "choice") f.choices = (c.top ?? []).map((v) => ({ code: nameOf(v.text) || v.text, label: v.text }));
  return f;
}

export function fromSuggestions(t: string, list: Suggestion[]): Routine {
  const fields: Record<string, Origin> = {};
  for (const s of list)
    if (s.taken)
      fields[s.field] = s.fixed
        ? { fixed: s.fixed }
        : {
            from: [...(fields[s.field]?.from ?? []), s.column],
            ...((s.join ?? fields[s.field]?.join) ? { join: s.join ?? fields[s.field]?.join ?? "" } : {}),
            ...(s.take ? { take: s.take as NonNullable<Origin["take"]> } : {}),
            ...(s.when ? { when: s.when } : {}),
          };
  return { may: "create_or_update", drafts: [{ type: t, fields }] };
}

/** Required fields that have no origin yet. */
export function unmet(kinds: Kind[]): { k: Kind; f: Field }[] {
  return kinds.flatMap((k) => k.t.fields.filter((f) => f.required && !f.default && !k.d.fields[f.name]).map((f) => ({ k, f })));
}
