import type { Routine } from "../api/client";
import { calledOf } from "./mapping";

/** One difference between two routines: what stands at a path, before and after; undefined is nothing. */
export interface Change {
  path: string[];
  from: unknown;
  to: unknown;
}

type Tree = Record<string, unknown>;

/** The routine with its drafts by their names, so that a path leads to the same draft whatever stands before it. */
function treeOf(r: Routine): Tree {
  const { drafts, ...rest } = r;
  return { ...rest, drafts: Object.fromEntries(drafts.map((d) => [calledOf(d), d])), order: drafts.map(calledOf) };
}

function routineOf(t: Tree): Routine {
  const { drafts, order, ...rest } = t as Tree & { drafts: Record<string, Routine["drafts"][number]>; order: string[] };
  return { ...rest, drafts: order.flatMap((name) => drafts[name] ?? []) } as Routine;
}

function isTree(v: unknown): v is Tree {
  return typeof v === "object" && v !== null && !Array.isArray(v);
}

/** Whether two values say the same; a key with nothing in it is as good as none. */
export function same(a: unknown, b: unknown): boolean {
  return textOf(a) === textOf(b);
}

function textOf(v: unknown): string {
  return JSON.stringify(v, (_, x: unknown) =>
    isTree(x)
      ? Object.fromEntries(
          Object.entries(x)
            .filter(([, y]) => y !== undefined)
            .sort(([m], [n]) => (m < n ? -1 : 1)),
        )
      : x,
  );
}

/** drafts, a draft, fields, a field: what a field is made of changes as a whole. */
const deepest = 4;

/** What differs between two routines. */
export function changesBetween(before: Routine, after: Routine): Change[] {
  const list: Change[] = [];
  const walk = (a: unknown, b: unknown, path: string[]) => {
    if (same(a, b)) return;
    if (isTree(a) && isTree(b) && path.length < deepest) {
      for (const key of new Set([...Object.keys(a), ...Object.keys(b)])) walk(a[key], b[key], [...path, key]);
      return;
    }
    list.push({ path, from: a, to: b });
  };
  walk(treeOf(before), treeOf(after), []);
  return list;
}

function at(t: unknown, path: string[]): unknown {
  return path.reduce<unknown>((v, key) => (isTree(v) ? v[key] : undefined), t);
}

function put(t: Tree, path: string[], v: unknown): Tree {
  const [key, ...rest] = path;
  if (key === undefined) return t;
  if (rest.length === 0) {
    const others = Object.fromEntries(Object.entries(t).filter(([k]) => k !== key));
    return v === undefined ? others : { ...t, [key]: v };
  }
  const inner = t[key];
  return isTree(inner) ? { ...t, [key]: put(inner, rest, v) } : t; // what it was in is gone
}

/** Makes the changes in a routine. */
export function applied(r: Routine, changes: Change[]): Routine {
  return routineOf(changes.reduce((t, c) => put(t, c.path, c.to), treeOf(r)));
}

/** The changes where a routine says something else than what they were made on, and than what they make of it. */
export function contradicted(r: Routine, changes: Change[]): Change[] {
  const t = treeOf(r);
  return changes.filter((c) => !same(at(t, c.path), c.from) && !same(at(t, c.path), c.to));
}

/** The changes that take others back. */
export function reversed(changes: Change[]): Change[] {
  return changes.map((c) => ({ path: c.path, from: c.to, to: c.from })).reverse();
}

/** The changes as made on another routine, which they then change whatever it says. */
export function madeOn(r: Routine, changes: Change[]): Change[] {
  const t = treeOf(r);
  return changes.map((c) => ({ ...c, from: at(t, c.path) }));
}
