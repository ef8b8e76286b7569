import { useQuery } from "@tanstack/react-query";
import { GripVertical } from "lucide-react";
import { useState } from "react";
import { api, must, type Field, type Import, type RecordType, type Routine } from "../api/client";
import { suggestions, useImportActs } from "../api/queries";
import { Button, Choose, cx, Dialog, inputClass, Labelled, Wrong } from "../ui/parts";
import { count } from "../ui/verdict";
import { compute, fieldsOf, fix, fromSuggestions, place, placed, routineOf, translate, unmet } from "./mapping";
import { Section, type PanelProps } from "./panel";

export function ColumnsPanel({ workspace, i, t, types, onStation }: PanelProps) {
  const acts = useImportActs(workspace, i.id);
  const fixed = i.busy !== "" || !["open", "ready", "loaded", "stopped"].includes(i.state);
  const put = (r: Routine) => acts.routine.mutate(r);
  const missing = t ? unmet(i, t) : [];
  const values = Object.entries(fieldsOf(i)).filter(([, o]) => o.fixed ?? o.compute);
  const where = routineOf(i).drafts[0]?.where ?? "";
  const choices = t?.fields.filter((f) => f.type === "choice" && fieldsOf(i)[f.name]?.from?.length) ?? [];
  const [fixing, setFixing] = useState<Field>();
  const [naming, setNaming] = useState(false);
  const [leaving, setLeaving] = useState(false);
  const known = useQuery(suggestions(workspace, i.id, i.into ?? "", i.busy !== "read" && !!i.into));
  const offers = known.data?.routines.filter((r) => r.name !== i.routine?.name) ?? [];
  const [listing, setListing] = useState<Field>();
  const into = async (name: string) => {
    const list = await must(
      api.GET("/workspaces/{workspace}/imports/{import}/suggestions", {
        params: { path: { workspace, import: i.id }, query: { into: name } },
      }),
    );
    put(fromSuggestions(name, list.columns));
  };
  return (
    <>
      <Section title="Each row becomes">
        <Choose
          label="Record type"
          disabled={fixed}
          value={i.into ?? ""}
          onChange={(v) => void into(v)}
          options={types.map((x) => ({ value: x.name, label: x.label }))}
        />
        <Wrong error={acts.routine.error} className="mt-2" />
      </Section>
      {offers.length > 0 && !fixed && (
        <Section title="A routine fits">
          {offers.slice(0, 3).map((r) => (
            <div key={r.name} className="mb-1.5 rounded-md border border-ask bg-ask-soft px-2.5 py-1.5">
              <div className="flex items-center justify-between gap-2">
                <b className="truncate font-medium">{r.name}</b>
                <Button onClick={() => acts.use.mutate(r.name)}>Use it</Button>
              </div>
              <span className="text-[12px] text-ink-soft">
                {Math.round(r.share * 100)} % of its columns are here
                {r.missing.length > 0 && `; missing: ${r.missing.join(", ")}`}
                {r.new.length > 0 && `; new: ${r.new.join(", ")}`}
              </span>
            </div>
          ))}
          <Wrong error={acts.use.error} />
        </Section>
      )}
      {t && (
        <Section title={missing.length ? "Required and not placed" : "All required fields are placed"}>
          {missing.length > 0 && (
            <p className="mb-2 text-[12.5px] text-ink-soft">Drag one onto a column, or give one value for all rows.</p>
          )}
          <ul className="space-y-1">
            {missing.map((f) => (
              <li
                key={f.name}
                draggable
                onDragStart={(e) => e.dataTransfer.setData("text/field", f.name)}
                className="flex items-center gap-1.5 rounded-md border border-ask bg-ask-soft py-1 pr-1 pl-1.5"
              >
                <GripVertical size={14} className="text-ask" aria-hidden />
                <span className="font-medium">{f.label}</span>
                <span className="ml-auto">
                  <Choose
                    label={`Column for ${f.label}`}
                    className="h-7! w-28!"
                    value=""
                    disabled={fixed}
                    onChange={(v) => (v === "=" ? setFixing(f) : put(place(i, v, f.name)))}
                    options={[
                      { value: "=", label: "one value for all…" },
                      ...(i.unplaced ?? []).map((c) => ({ value: c, label: c })),
                    ]}
                  />
                </span>
              </li>
            ))}
          </ul>
        </Section>
      )}
      {values.length > 0 && (
        <Section title="Without a column">
          {values.map(([name, o]) => (
            <div key={name} className="flex items-center justify-between">
              <span>
                {t?.fields.find((f) => f.name === name)?.label ?? name}:{" "}
                {o.fixed ? <b className="font-medium">{o.fixed}</b> : <code className="font-mono text-[12px]">{o.compute}</code>}
              </span>
              <Button look="quiet" disabled={fixed} onClick={() => put(fix(i, name, ""))}>
                Take out
              </Button>
            </div>
          ))}
        </Section>
      )}
      {choices.length > 0 && (
        <Section title="What the words mean">
          {choices.map((f) => (
            <Button key={f.name} className="mr-1.5 mb-1.5" onClick={() => setListing(f)}>
              {f.label}…
            </Button>
          ))}
        </Section>
      )}
      <Section title={i.unplaced?.length ? "Columns that are left out" : "Every column is placed"}>
        <p className="text-ink-soft">{i.unplaced?.join(", ")}</p>
        {t && !fixed && <FixAny t={t} i={i} onFix={setFixing} />}
      </Section>
      {t && (
        <Section title={where ? "Only some rows" : "All rows"}>
          {where && <code className="mb-2 block font-mono text-[12px] break-words">{where}</code>}
          <Button disabled={fixed} onClick={() => setLeaving(true)}>
            Leave rows out…
          </Button>
        </Section>
      )}
      <div className="flex gap-2 p-4">
        <Button look="act" onClick={() => onStation("check")} disabled={!t}>
          Go on to the check
        </Button>
        <Button onClick={() => setNaming(true)} disabled={!t}>
          Save as routine…
        </Button>
      </div>
      {naming && (
        <NameDialog
          name={i.routine?.name ?? ""}
          onClose={() => setNaming(false)}
          onSave={async (name) => {
            const r = routineOf(i);
            const body = { ...r, name, reading: i.reading ?? {}, ignored: i.unplaced ?? [] };
            await must(api.PUT("/workspaces/{workspace}/routines/{name}", { params: { path: { workspace, name } }, body }));
            put({ ...r, name });
          }}
        />
      )}
      {leaving && (
        <ExpressionDialog
          title="Take only rows for which this holds"
          hint={`Such as: cells["${i.columns?.[0]?.header ?? "State"}"] != "gone"`}
          value={where}
          i={i}
          onClose={() => setLeaving(false)}
          onSave={(v) => {
            const r = routineOf(i);
            const draft = r.drafts[0];
            return acts.routine.mutateAsync({ ...r, drafts: draft ? [{ ...draft, where: v }] : [] });
          }}
        />
      )}
      {fixing && (
        <FixDialog
          f={fixing}
          i={i}
          onClose={() => setFixing(undefined)}
          onFix={(v) => put(fix(i, fixing.name, v))}
          onCompute={(v) => acts.routine.mutateAsync(compute(i, fixing.name, v))}
        />
      )}
      {listing && (
        <ValuesDialog
          i={i}
          f={listing}
          onClose={() => setListing(undefined)}
          onSave={(v) => put(translate(i, listing.name, v))}
        />
      )}
    </>
  );
}

function FixAny({ t, i, onFix }: { t: RecordType; i: Import; onFix: (f: Field) => void }) {
  const free = t.fields.filter((f) => !fieldsOf(i)[f.name]);
  return (
    <div className="mt-2">
      <span className="mb-1 block text-[12px] text-ink-faint">Give another field one value for all rows:</span>
      <Choose
        label="Give a field one value for all rows"
        value=""
        onChange={(v) => {
          const f = free.find((x) => x.name === v);
          if (f) onFix(f);
        }}
        options={free.map((f) => ({ value: f.name, label: `${f.label} …` }))}
      />
    </div>
  );
}

function FixDialog(p: {
  f: Field;
  i: Import;
  onClose: () => void;
  onFix: (v: string) => void;
  onCompute: (expression: string) => Promise<unknown>;
}) {
  const { f } = p;
  const [v, setV] = useState("");
  const [computing, setComputing] = useState(false);
  if (computing)
    return (
      <ExpressionDialog
        title={`${f.label}, computed for each row`}
        hint={`Such as: cells["${p.i.columns?.[0]?.header ?? "Name"}"].title() + " " + cells["…"]. Also: lower, upper, digits, split, join, replace, and fields["…"] for fields before.`}
        value=""
        i={p.i}
        onClose={p.onClose}
        onSave={p.onCompute}
      />
    );
  return (
    <Dialog
      open
      onClose={p.onClose}
      title={`${f.label}, for all rows`}
      foot={
        <>
          <Button onClick={() => setComputing(true)}>Compute it instead…</Button>
          <Button
            look="act"
            disabled={!v}
            onClick={() => {
              p.onFix(v);
              p.onClose();
            }}
          >
            Use it for all rows
          </Button>
        </>
      }
    >
      {f.choices ? (
        <Choose label={f.label} value={v} onChange={setV} options={f.choices.map((c) => ({ value: c.code, label: c.label }))} />
      ) : (
        <input aria-label={f.label} autoFocus className={inputClass} value={v} onChange={(e) => setV(e.target.value)} />
      )}
      {f.help && <p className="mt-2 text-ink-soft">{f.help}</p>}
    </Dialog>
  );
}

/** An expression over a row; the columns can be put in by a click. What is wrong with it is said in place. */
function ExpressionDialog(p: {
  title: string;
  hint: string;
  value: string;
  i: Import;
  onClose: () => void;
  onSave: (v: string) => Promise<unknown>;
}) {
  const [v, setV] = useState(p.value);
  const [error, setError] = useState<unknown>();
  return (
    <Dialog
      open
      wide
      onClose={p.onClose}
      title={p.title}
      foot={
        <Button look="act" onClick={() => void p.onSave(v.trim()).then(p.onClose, setError)}>
          Use it
        </Button>
      }
    >
      <textarea
        aria-label="Expression in CEL"
        autoFocus
        className={cx(inputClass, "h-24 py-2 font-mono")}
        value={v}
        onChange={(e) => setV(e.target.value)}
      />
      <p className="mt-1 text-[12px] text-ink-faint">{p.hint}</p>
      <Wrong error={error} className="mt-2" />
      <div className="mt-3 flex flex-wrap gap-1" role="group" aria-label="Columns">
        {p.i.columns?.map((c) => (
          <Button
            key={c.header}
            look="quiet"
            className="h-7 border-line px-2 font-mono text-[12px]"
            onClick={() => setV(`${v}cells[${JSON.stringify(c.header)}]`)}
          >
            {c.header}
          </Button>
        ))}
      </div>
    </Dialog>
  );
}

function NameDialog({ name, onClose, onSave }: { name: string; onClose: () => void; onSave: (name: string) => Promise<void> }) {
  const [v, setV] = useState(name);
  const [error, setError] = useState<unknown>();
  return (
    <Dialog
      open
      onClose={onClose}
      title="Save the set-up as a routine"
      foot={
        <Button look="act" disabled={!v.trim()} onClick={() => void onSave(v.trim()).then(onClose, setError)}>
          Save it
        </Button>
      }
    >
      <Labelled label="Name" hint="The next file with these columns is recognised, and the routine offered.">
        <input autoFocus className={inputClass} value={v} onChange={(e) => setV(e.target.value)} />
      </Labelled>
      <Wrong error={error} className="mt-2" />
    </Dialog>
  );
}

/** What every different word of a choice column means. */
function ValuesDialog({
  i,
  f,
  onClose,
  onSave,
}: {
  i: Import;
  f: Field;
  onClose: () => void;
  onSave: (v: Record<string, string>) => void;
}) {
  const header = [...placed(i)].find(([, field]) => field === f.name)?.[0];
  const column = i.columns?.find((c) => c.header === header);
  const [values, setValues] = useState<Record<string, string>>(fieldsOf(i)[f.name]?.values ?? {});
  const known = (text: string) =>
    f.choices?.find((c) => [c.code, c.label, ...(c.other ?? [])].some((w) => w.toLowerCase() === text.toLowerCase().trim()))
      ?.code;
  const none = "as it stands";
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      title={`What “${header}” says and what it means`}
      foot={
        <Button
          look="act"
          onClick={() => {
            onSave(values);
            onClose();
          }}
        >
          Keep the list
        </Button>
      }
    >
      <table className="w-full">
        <tbody>
          {column?.top?.map((v) => (
            <tr key={v.text} className="border-b border-line last:border-0">
              <td className="py-1.5">{v.text}</td>
              <td className="figures px-3 py-1.5 text-right text-ink-soft">{count(v.count)}</td>
              <td className="w-56 py-1.5">
                <Choose
                  label={`Meaning of ${v.text}`}
                  className={cx(!values[v.text] && !known(v.text) && "border-ask")}
                  value={values[v.text] ?? known(v.text) ?? none}
                  onChange={(code) => {
                    const rest = Object.fromEntries(Object.entries(values).filter(([w]) => w !== v.text));
                    setValues(code === none ? rest : { ...rest, [v.text]: code });
                  }}
                  options={[
                    { value: none, label: "not known: held" },
                    ...(f.choices ?? []).map((c) => ({ value: c.code, label: c.label })),
                  ]}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Dialog>
  );
}

/** The suggestions for the columns of an import, by header. */
export function useSuggestions(workspace: string, i: Import | undefined) {
  const q = useQuery(suggestions(workspace, i?.id ?? 0, i?.into ?? "", i !== undefined && i.busy !== "read" && !!i.into));
  return new Map(q.data?.columns.map((s) => [s.column, s]));
}
