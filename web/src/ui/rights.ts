import type { Field, RecordType } from "../api/client";

export type Limit = NonNullable<Field["seen_by"]>;

const roles = ["viewer", "operator", "administrator"];

function covers(role: string | undefined, need: string | undefined): boolean {
  return !need || roles.indexOf(role ?? "") >= roles.indexOf(need);
}

/** Whether a role may see what stands in a field. */
export function sees(role: string | undefined, f: Field): boolean {
  return covers(role, f.seen_by);
}

/** Whether a role may fill a field; none that it may not see. */
export function fills(role: string | undefined, f: Field): boolean {
  return covers(role, "operator") && covers(role, f.filled_by) && sees(role, f);
}

/** Record types with those of their fields that a role may fill. */
export function fillable<K extends { t: RecordType }>(role: string | undefined, kinds: K[]): K[] {
  return kinds.map((k) => ({ ...k, t: { ...k.t, fields: k.t.fields.filter((f) => fills(role, f)) } }));
}

/** Who may see and fill a field, where not everybody may. */
export function limits(f: Field): string[] {
  return [f.seen_by && `seen by ${f.seen_by}s`, f.filled_by && `filled by ${f.filled_by}s`].filter((x) => !!x) as string[];
}
