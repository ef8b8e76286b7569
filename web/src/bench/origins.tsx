import { useState } from "react";
import type { Field, Import, Origin } from "../api/client";
import { Button, Choose, Dialog, inputClass, Labelled, Ticked, Wrong } from "../ui/parts";
import { titleOf, type Kind } from "./mapping";
import type { PanelProps } from "./panel";

/** Says from what a field comes that has no column of its own. */
export function OriginWords({ o, kinds }: { o: Origin; kinds: Kind[] }) {
  if (o.fixed) return <b className="font-medium">{o.fixed}</b>;
  if (o.when)
    return (
      <span className="text-ink-soft">
        {o.from?.join(" + ")} where {o.when.column} says {o.when.is.join(" or ")}
      </span>
    );
  if (o.compute) return <code className="font-mono text-[12px]">{o.compute}</code>;
  if (o.draft) {
    const k = kinds.find((x) => x.name === o.draft);
    return <span className="text-ink-soft">the {k ? titleOf(k, kinds).toLowerCase() : o.draft} of the row</span>;
  }
  return (
    <span className="text-ink-soft">
      looked up by{" "}
      {Object.entries(o.find ?? {})
        .map(([name, x]) => `${name.replaceAll("_", " ")} from ${x.from?.join(" + ") ?? "a value"}`)
        .join(" and ")}
    </span>
  );
}

/** Where a field's value comes from, when it is no column: one value for all rows, an expression, a look-up, another record of the row. */
export function OriginDialog(p: {
  f: Field;
  k: Kind;
  kinds: Kind[];
  onClose: () => void;
  onOther: (what: "compute" | "find" | "when") => void;
  onSet: (o: Origin) => void;
}) {
  const { f } = p;
  const [v, setV] = useState("");
  const drafts = p.kinds.filter((x) => x !== p.k && x.t.name === f.to);
  const set = (o: Origin) => {
    p.onSet(o);
    p.onClose();
  };
  return (
    <Dialog
      open
      onClose={p.onClose}
      title={`${f.label}, for all rows`}
      foot={
        <>
          <Button onClick={() => p.onOther("when")}>A column in some rows…</Button>
          <Button onClick={() => p.onOther("compute")}>Compute it instead…</Button>
          {f.type === "reference" && <Button onClick={() => p.onOther("find")}>Look it up by…</Button>}
          <Button look="act" disabled={!v} onClick={() => set({ fixed: v })}>
            Use it for all rows
          </Button>
        </>
      }
    >
      {drafts.length > 0 && (
        <div className="mb-3 flex flex-wrap gap-2">
          {drafts.map((x) => (
            <Button key={x.name} look="act" onClick={() => set({ draft: x.name })}>
              The {titleOf(x, p.kinds).toLowerCase()} of the same row
            </Button>
          ))}
        </div>
      )}
      {f.choices ? (
        <Choose label={f.label} value={v} onChange={setV} options={f.choices.map((c) => ({ value: c.code, label: c.label }))} />
      ) : (
        <input aria-label={f.label} autoFocus className={inputClass} value={v} onChange={(e) => setV(e.target.value)} />
      )}
      {f.help && <p className="mt-2 text-ink-soft">{f.help}</p>}
    </Dialog>
  );
}

/** By which fields of its type a record is looked up; all that are given must fit. */
export function FindDialog(p: {
  i: Import;
  f: Field;
  types: PanelProps["types"];
  start: Record<string, Origin>;
  onClose: () => void;
  onSave: (find: Record<string, Origin>) => Promise<unknown>;
}) {
  const t = p.types.find((x) => x.name === p.f.to);
  const [by, setBy] = useState<Record<string, string>>(
    Object.fromEntries(Object.entries(p.start).map(([name, o]) => [name, o.from?.[0] ?? ""])),
  );
  const [error, setError] = useState<unknown>();
  const none = "–";
  const find = Object.fromEntries(
    Object.entries(by)
      .filter(([, c]) => c)
      .map(([name, c]) => [name, { from: [c] }]),
  );
  const columns = (p.i.columns ?? []).map((c) => ({ value: c.header, label: c.header }));
  return (
    <Dialog
      open
      wide
      onClose={p.onClose}
      title={`${p.f.label} is the ${t?.label.toLowerCase() ?? "record"} with`}
      foot={
        <Button
          look="act"
          disabled={Object.keys(find).length === 0}
          onClick={() => void p.onSave(find).then(p.onClose, setError)}
        >
          Look it up so
        </Button>
      }
    >
      <p className="mb-2 text-ink-soft">All fields that take a column must fit. What fits no record, or several, is held.</p>
      <Wrong error={error} className="mb-2" />
      <table className="w-full">
        <tbody>
          {t?.fields
            .filter((f) => f.type !== "reference" && f.type !== "long_text")
            .map((f) => (
              <tr key={f.name} className="border-b border-line last:border-0">
                <td className="py-1">
                  {f.label}
                  {(f.key ?? f.lookup ?? t.title.includes(f.name)) && (
                    <span className="ml-2 text-[12px] text-ink-faint">tells one from others</span>
                  )}
                </td>
                <td className="w-56 py-1">
                  <Choose
                    label={`Column for ${f.label}`}
                    value={by[f.name] ?? none}
                    onChange={(v) => setBy({ ...by, [f.name]: v === none ? "" : v })}
                    options={[{ value: none, label: none }, ...columns]}
                  />
                </td>
              </tr>
            ))}
        </tbody>
      </table>
    </Dialog>
  );
}

/** From which column a field comes, in the rows of which another column says so. */
export function WhenDialog(p: {
  i: Import;
  f: Field;
  start: Origin | undefined;
  onClose: () => void;
  onSave: (o: Origin) => Promise<unknown>;
}) {
  const [from, setFrom] = useState(p.start?.from?.[0] ?? "");
  const [by, setBy] = useState(p.start?.when?.column ?? "");
  const [is, setIs] = useState<string[]>(p.start?.when?.is ?? []);
  const [error, setError] = useState<unknown>();
  const columns = (p.i.columns ?? []).map((c) => ({ value: c.header, label: c.header }));
  const there = p.i.columns?.find((c) => c.header === by)?.top?.map((v) => v.text) ?? [];
  const words = [...there, ...is.filter((w) => !there.includes(w))];
  return (
    <Dialog
      open
      onClose={p.onClose}
      title={`${p.f.label}, in some rows only`}
      foot={
        <Button
          look="act"
          disabled={!from || !by || from === by || is.length === 0}
          onClick={() =>
            void p.onSave({ ...(p.start?.when ? p.start : {}), from: [from], when: { column: by, is } }).then(p.onClose, setError)
          }
        >
          Take it in these rows
        </Button>
      }
    >
      <Wrong error={error} className="mb-2" />
      <Labelled label="From the column">
        <Choose label={`Column for ${p.f.label}`} value={from} onChange={setFrom} options={columns} />
      </Labelled>
      <div className="h-3" />
      <Labelled label="In rows where this column">
        <Choose
          label="Column that says in which rows"
          value={by}
          onChange={(v) => {
            setBy(v);
            setIs([]);
          }}
          options={columns.filter((c) => c.value !== from)}
        />
      </Labelled>
      {by && (
        <fieldset className="mt-3 max-h-56 space-y-1 overflow-auto">
          <legend className="mb-1 text-[12px] text-ink-faint">says</legend>
          {words.map((w) => (
            <Ticked key={w} label={w} on={is.includes(w)} onChange={(on) => setIs(on ? [...is, w] : is.filter((x) => x !== w))} />
          ))}
        </fieldset>
      )}
    </Dialog>
  );
}
