import type { Column, Field, Import, Origin, RecordType, Routine, Suggestion } from "../api/client";
import { nameOf } from "../ui/addfield";

/** The routine of an import, or an empty one for its record type. */
export function routineOf(i: Import): Routine {
  return i.routine?.drafts?.length ? i.routine : { may: "create_or_update", drafts: [{ type: i.into ?? "", fields: {} }] };
}

export function fieldsOf(i: Import): Record<string, Origin> {
  return routineOf(i).drafts[0]?.fields ?? {};
}

/** Which field each column goes to. */
export function placed(i: Import): Map<string, string> {
  const m = new Map<string, string>();
  for (const [field, o] of Object.entries(fieldsOf(i))) for (const from of o.from ?? []) m.set(from, field);
  return m;
}

/** All fields that take something from a column; a full name goes to two. */
export function fieldsFrom(i: Import, column: string): string[] {
  return Object.entries(fieldsOf(i))
    .filter(([, o]) => o.from?.includes(column))
    .map(([field]) => field)
    .sort();
}

function withFields(r: Routine, fields: Record<string, Origin>): Routine {
  const draft = r.drafts[0];
  return { ...r, drafts: draft ? [{ ...draft, fields }] : [] };
}

/** Puts a column to a field (nothing takes it out); a column goes to one field and a field has one origin. */
export function place(i: Import, column: string, field: string): Routine {
  const r = routineOf(i);
  const fields: Record<string, Origin> = {};
  for (const [name, o] of Object.entries(r.drafts[0]?.fields ?? {})) {
    const from = o.from?.filter((c) => c !== column);
    if (o.from && !from?.length) continue;
    fields[name] = from ? { ...o, from } : o;
  }
  if (field) {
    const was = r.drafts[0]?.fields[field];
    fields[field] = { from: [column], ...(was?.otherwise ? { otherwise: was.otherwise } : {}) };
  }
  return withFields(r, fields);
}

/** The field that keeps notes: the first long text of the type. */
export function notesField(t: RecordType): string | undefined {
  return t.fields.find((f) => f.type === "long_text")?.name;
}

/** Adds a column to the notes, behind its header; what is there stays, and it is not added twice. */
export function addToNotes(i: Import, column: string, t: RecordType): Routine {
  const name = notesField(t) ?? "";
  const r = place(i, column, "");
  const was = r.drafts[0]?.fields[name];
  const from = [...(was?.from ?? []), column];
  return withFields(r, { ...r.drafts[0]?.fields, [name]: { from, labelled: true, both: "add" } });
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

/** Gives a field one value for all rows; an empty value takes it out. */
export function fix(i: Import, field: string, value: string): Routine {
  const r = routineOf(i);
  const rest = Object.fromEntries(Object.entries(r.drafts[0]?.fields ?? {}).filter(([name]) => name !== field));
  return withFields(r, value ? { ...rest, [field]: { fixed: value } } : rest);
}

/** Computes a field by an expression; an empty one takes it out. */
export function compute(i: Import, field: string, expression: string): Routine {
  const r = routineOf(i);
  const rest = Object.fromEntries(Object.entries(r.drafts[0]?.fields ?? {}).filter(([name]) => name !== field));
  return withFields(r, expression ? { ...rest, [field]: { compute: expression } } : rest);
}

/** Says what cells mean: the field's value list. */
export function translate(i: Import, field: string, values: Record<string, string>): Routine {
  const r = routineOf(i);
  const fields = { ...r.drafts[0]?.fields };
  const was = fields[field];
  if (was) fields[field] = { ...was, values };
  return withFields(r, fields);
}

export function fromSuggestions(t: string, list: Suggestion[]): Routine {
  const fields: Record<string, Origin> = {};
  for (const s of list) if (s.taken) fields[s.field] = { from: [s.column] };
  return { may: "create_or_update", drafts: [{ type: t, fields }] };
}

/** Required fields that have no origin yet. */
export function unmet(i: Import, t: RecordType) {
  const fields = fieldsOf(i);
  return t.fields.filter((f) => f.required && !f.default && !fields[f.name]);
}
