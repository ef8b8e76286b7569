import { useQuery } from "@tanstack/react-query";
import { Download, GripVertical } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { api, must, type Field, type Import, type Reading, type RecordType, type Routine, type TypeList } from "../api/client";
import { stampOf, suggestions, useImportActs } from "../api/queries";
import { BeforeAfter } from "../pages/record";
import { Button, Choose, cx, Dialog, inputClass, Labelled, Wrong } from "../ui/parts";
import { Chip, count, outcomeWords, Word } from "../ui/verdict";
import type { Filter } from "./grid";
import { fieldsOf, fix, fromSuggestions, place, placed, routineOf, translate, unmet } from "./mapping";

export interface PanelProps {
  workspace: string;
  i: Import;
  t: RecordType | undefined;
  types: TypeList;
  filter: Filter;
  onFilter: (f: Partial<Filter>) => void;
  onStation: (name: string) => void;
}

function Section({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section className="border-b border-line px-4 py-3">
      <h3 className="mb-1.5 text-[14px]">{title}</h3>
      {children}
    </section>
  );
}

const delimiters = [
  { value: ",", label: "comma" },
  { value: ";", label: "semicolon" },
  { value: "\t", label: "tab" },
  { value: "|", label: "bar" },
];
const encodings = [
  "utf-8",
  "windows-1252",
  "windows-1250",
  "windows-1251",
  "windows-1253",
  "iso-8859-1",
  "iso-8859-2",
  "iso-8859-7",
  "iso-8859-15",
  "utf-16le",
  "utf-16be",
  "shift_jis",
  "euc-jp",
].map((v) => ({ value: v, label: v }));
const auto = "detected";

export function SourcePanel({ workspace, i }: PanelProps) {
  const acts = useImportActs(workspace, i.id);
  const r = i.reading ?? {};
  const found = (option: string) => i.findings?.find((f) => f.option === option);
  const listed = (option: string) => found(option)?.choices?.map((c) => ({ value: c, label: c }));
  const fixed = i.busy !== "" || !["open", "ready"].includes(i.state);
  const set = (part: Partial<Reading>) => acts.reading.mutate({ ...r, ...part });
  const choice = (label: string, key: keyof Reading, options: { value: string; label: string }[]) => {
    const f = found(key);
    const seen = options.find((o) => o.value === f?.value)?.label ?? f?.value;
    return (
      <Labelled label={label} hint={r[key] ? "set by hand" : f?.evidence}>
        <Choose
          label={label}
          disabled={fixed}
          value={String(r[key] ?? auto)}
          onChange={(v) => set({ [key]: v === auto ? undefined : v })}
          options={[{ value: auto, label: seen ? `${seen} (detected)` : "as the columns show" }, ...options]}
        />
      </Labelled>
    );
  };
  return (
    <>
      {i.trouble?.code && <Wrong className="m-3" error={Object.assign(new Error(i.trouble.message), {})} />}
      {i.trouble?.code && (
        <p className="px-4 pb-3 text-[12.5px] text-ink-soft">
          {[i.trouble.place?.row && `row ${i.trouble.place.row}`, i.trouble.place?.column && `column ${i.trouble.place.column}`]
            .filter(Boolean)
            .join(", ")}{" "}
          {i.trouble.mend}
        </p>
      )}
      <Section title="How it is read">
        <div className="space-y-2.5">
          {found("format") && found("format")?.value !== "delimited text" && <p className="text-ink-soft">{found("format")?.value}</p>}
          {listed("file") && choice("File in the archive", "file", listed("file") ?? [])}
          {listed("sheet") && choice("Sheet", "sheet", listed("sheet") ?? [])}
          {(found("delimiter") ?? r.delimiter) && choice("Delimiter", "delimiter", delimiters)}
          {(found("encoding") ?? r.encoding) && choice("Encoding", "encoding", encodings)}
          <Labelled label="Header row" hint={r.header_row ? "set by hand" : found("header_row")?.evidence}>
            <input
              key={`${r.header_row ?? ""}${i.changed_at}`}
              className={inputClass}
              inputMode="numeric"
              disabled={fixed}
              defaultValue={r.header_row ?? found("header_row")?.value}
              onBlur={(e) => {
                const n = Number(e.target.value);
                if (n > 0 && String(n) !== String(r.header_row ?? found("header_row")?.value)) set({ header_row: n });
              }}
            />
          </Labelled>
          {choice("Date order", "date_order", [
            { value: "day_first", label: "day first" },
            { value: "month_first", label: "month first" },
            { value: "year_first", label: "year first" },
          ])}
          {choice("Decimal sign", "decimal_sign", [
            { value: ".", label: "dot" },
            { value: ",", label: "comma" },
          ])}
          <Labelled label="Country of phone numbers" hint="for numbers without a country code, in rows without a country">
            <input
              key={r.country ?? ""}
              className={inputClass}
              maxLength={2}
              disabled={fixed}
              placeholder="such as NO"
              defaultValue={r.country}
              onBlur={(e) => {
                const v = e.target.value.toUpperCase();
                if (v !== (r.country ?? "")) set({ country: v });
              }}
            />
          </Labelled>
          <Wrong error={acts.reading.error} />
        </div>
      </Section>
      <Section title="The file">
        <p className="break-words text-ink-soft">
          {i.file.name}, {count(Math.ceil(i.file.bytes / 1024))} KiB.{" "}
          <a className="text-act" href={`/api/v1/workspaces/${workspace}/imports/${i.id}/source`}>
            Download it
          </a>
        </p>
        {i.notices?.map((n, k) => (
          <p key={k} className="mt-1.5 rounded bg-ask-soft px-2 py-1 text-[12.5px]">
            {n.message}
            {n.column && `: ${n.column}`}
            {n.count ? ` (${count(n.count)} rows)` : ""}
            {n.row ? `, first in row ${n.row}` : ""}
          </p>
        ))}
      </Section>
    </>
  );
}

export function ColumnsPanel({ workspace, i, t, types, onStation }: PanelProps) {
  const acts = useImportActs(workspace, i.id);
  const fixed = i.busy !== "" || !["open", "ready", "loaded", "stopped"].includes(i.state);
  const put = (r: Routine) => acts.routine.mutate(r);
  const missing = t ? unmet(i, t) : [];
  const values = Object.entries(fieldsOf(i)).filter(([, o]) => o.fixed);
  const choices = t?.fields.filter((f) => f.type === "choice" && fieldsOf(i)[f.name]?.from?.length) ?? [];
  const [fixing, setFixing] = useState<Field>();
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
                    className="h-7 w-28"
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
        <Section title="One value for all rows">
          {values.map(([name, o]) => (
            <div key={name} className="flex items-center justify-between">
              <span>
                {t?.fields.find((f) => f.name === name)?.label ?? name}: <b className="font-medium">{o.fixed}</b>
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
      <div className="p-4">
        <Button look="act" onClick={() => onStation("check")} disabled={!t}>
          Go on to the check
        </Button>
      </div>
      {fixing && <FixDialog f={fixing} onClose={() => setFixing(undefined)} onFix={(v) => put(fix(i, fixing.name, v))} />}
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

function FixDialog({ f, onClose, onFix }: { f: Field; onClose: () => void; onFix: (v: string) => void }) {
  const [v, setV] = useState("");
  return (
    <Dialog
      open
      onClose={onClose}
      title={`${f.label}, for all rows`}
      foot={
        <Button
          look="act"
          disabled={!v}
          onClick={() => {
            onFix(v);
            onClose();
          }}
        >
          Use it for all rows
        </Button>
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

const mays = [
  { value: "create_or_update", label: "create records and update those found" },
  { value: "create", label: "only create; rows found are left out" },
  { value: "update", label: "only update; rows not found are left out" },
];

export function MatchingPanel({ workspace, i, t }: PanelProps) {
  const acts = useImportActs(workspace, i.id);
  const fixed = i.busy !== "" || !["open", "ready", "loaded", "stopped"].includes(i.state);
  const r = routineOf(i);
  const fields = fieldsOf(i);
  const label = (name: string) => (name === "id" ? "Record id" : (t?.fields.find((f) => f.name === name)?.label ?? name));
  return (
    <>
      <Section title="What the import may do">
        <Choose
          label="What the import may do"
          disabled={fixed}
          value={r.may}
          options={mays}
          onChange={(v) => acts.routine.mutate({ ...r, may: v as Routine["may"] })}
        />
        <Wrong error={acts.routine.error} className="mt-2" />
      </Section>
      <Section title="How a row finds its record">
        <ol className="space-y-2">
          {t?.match.map((m, n) => {
            const works = m.fields.every((name) => fields[name]);
            return (
              <li key={n} className={cx("flex gap-2", !works && "text-ink-faint")}>
                <span className="figures w-4 text-right">{n + 1}.</span>
                <span>
                  the same <b className="font-medium">{m.fields.map(label).join(" and ")}</b>
                  <span className="block text-[12.5px]">
                    {works ? "One find is taken; several hold the row." : "Not in use: no column is placed on it."}
                  </span>
                </span>
              </li>
            );
          })}
        </ol>
        <p className="mt-3 text-[12.5px] text-ink-soft">
          The first that finds a record settles it. Letters, case, accents and spaces around do not count. A row that finds none
          is a new record; the later of two rows for one record is held and names the earlier.
        </p>
      </Section>
      <Section title="Against damage">
        <p className="text-ink-soft">
          A blank cell leaves what is there. A cell that cannot be read holds its row. Nothing is written before the load.
        </p>
      </Section>
    </>
  );
}

export function CheckPanel({ workspace, i, t, filter, onFilter, onStation }: PanelProps) {
  const acts = useImportActs(workspace, i.id);
  const label = (name: string) => t?.fields.find((f) => f.name === name)?.label ?? name;
  const checked = i.totals && i.state !== "checking";
  return (
    <>
      <div className="flex flex-wrap gap-2 border-b border-line px-4 py-3">
        <Button look={checked ? "plain" : "act"} onClick={() => acts.check.mutate()} disabled={i.busy !== "" || !t}>
          {i.busy === "check" ? "Checking…" : checked ? "Check again" : `Check ${count(i.rows)} rows`}
        </Button>
        {checked && i.state === "ready" && (
          <Button look="act" onClick={() => onStation("load")}>
            Go on to the load
          </Button>
        )}
        <Wrong error={acts.check.error} className="w-full" />
        {i.trouble?.code && <Wrong error={new Error(`${i.trouble.message}. ${i.trouble.mend ?? ""}`)} className="w-full" />}
      </div>
      {!checked && i.busy !== "check" && (
        <p className="px-4 py-3 text-ink-soft">The check works out what each row would do. It touches no record.</p>
      )}
      {checked && (
        <>
          <Section title={i.totals?.problems.length ? "What is wrong" : "Nothing is wrong"}>
            <ul>
              {i.totals?.problems.map((p) => {
                const on = filter.problem === p.code && filter.field === p.field;
                return (
                  <li key={p.code + p.field}>
                    <button
                      type="button"
                      aria-pressed={on}
                      onClick={() =>
                        onFilter(on ? { problem: "", field: "" } : { problem: p.code, field: p.field, verdict: "", outcome: "" })
                      }
                      className={cx("flex w-full gap-2 rounded px-2 py-1 text-left", on ? "bg-ask-soft" : "hover:bg-act-soft")}
                    >
                      <span className="figures w-8 shrink-0 text-right font-semibold text-ask">{count(p.count)}</span>
                      <span>
                        {p.field && <b className="font-medium">{label(p.field)}: </b>}
                        {p.message}
                      </span>
                    </button>
                  </li>
                );
              })}
            </ul>
            {(i.totals?.verdicts["hold"] ?? 0) > 0 && (
              <a
                className="mt-2 inline-flex items-center gap-1.5 text-act"
                href={`/api/v1/workspaces/${workspace}/imports/${i.id}/rows.csv?verdict=hold`}
              >
                <Download size={14} /> Held rows as a sheet
              </a>
            )}
          </Section>
          <Section title={i.totals?.changes.length ? "Values that would change" : "No value would change"}>
            <ul>
              {i.totals?.changes.map((c) => (
                <li key={c.field} className="flex gap-2 px-2 py-0.5">
                  <span className="figures w-8 text-right font-semibold text-update">{count(c.count)}</span>
                  <span>
                    {label(c.field)}
                    {c.over > 0 && <span className="text-ink-soft">, {count(c.over)} replace a value</span>}
                  </span>
                </li>
              ))}
            </ul>
          </Section>
        </>
      )}
    </>
  );
}

function loadWords(i: Import): string {
  const v = i.totals?.verdicts ?? {};
  const parts = [v["create"] && `create ${count(v["create"])}`, v["update"] && `update ${count(v["update"])}`].filter(
    Boolean,
  ) as string[];
  const words = parts.join(" · ");
  return words ? words.charAt(0).toUpperCase() + words.slice(1) : "Note the outcomes";
}

export function LoadPanel({ workspace, i, t, onStation }: PanelProps) {
  const acts = useImportActs(workspace, i.id);
  const [asking, setAsking] = useState(false);
  const path = { workspace, import: i.id };
  const overwrites = useQuery({
    queryKey: ["overwrites", workspace, i.id, stampOf(i)],
    enabled: i.state === "ready",
    queryFn: () =>
      must(api.GET("/workspaces/{workspace}/imports/{import}/overwrites", { params: { path, query: { limit: 8 } } })),
  });
  const v = i.totals?.verdicts ?? {};
  const label = (name: string) => t?.fields.find((f) => f.name === name)?.label ?? name;
  const error = acts.load.error ?? acts.pause.error ?? acts.resume.error ?? acts.stop.error;
  return (
    <>
      {i.state === "ready" && (
        <div className="border-b border-line px-4 py-3">
          <Button look="act" onClick={() => setAsking(true)}>
            {loadWords(i)}
          </Button>
        </div>
      )}
      {(i.state === "loading" || i.state === "paused") && (
        <div className="space-y-2 border-b border-line px-4 py-3">
          <div className="figures" role="status">
            {count(i.done)} of {count(i.totals?.rows ?? i.rows)} rows {i.state === "paused" && "· paused"}
          </div>
          <div className="flex gap-2">
            {i.state === "loading" ? (
              <Button onClick={() => acts.pause.mutate()}>Pause</Button>
            ) : (
              <Button look="act" onClick={() => acts.resume.mutate()}>
                Go on
              </Button>
            )}
            <Button look="ask" onClick={() => acts.stop.mutate()}>
              Stop here
            </Button>
          </div>
        </div>
      )}
      {["loaded", "stopped"].includes(i.state) && (
        <div className="border-b border-line px-4 py-3">
          <p className="mb-2">The load is {i.state === "loaded" ? "done" : "stopped"}.</p>
          <Button look="act" onClick={() => onStation("result")}>
            See the result
          </Button>
        </div>
      )}
      {["open", "checking"].includes(i.state) && (
        <p className="px-4 py-3 text-ink-soft">
          First comes the check, which says what each row would do.{" "}
          <button type="button" className="text-act" onClick={() => onStation("check")}>
            Go to the check
          </button>
        </p>
      )}
      <Wrong error={error} className="m-3" />
      {i.totals && (
        <Section title="What it does">
          <ul className="space-y-1">
            {(["create", "update", "same", "skip", "ask", "hold"] as const)
              .filter((w) => v[w])
              .map((w) => (
                <li key={w} className="flex gap-2">
                  <span className="figures w-12 text-right font-semibold">{count(v[w] ?? 0)}</span>
                  <Word word={w} />
                  <span className="text-ink-soft">{meaning[w]}</span>
                </li>
              ))}
          </ul>
        </Section>
      )}
      {overwrites.data && overwrites.data.rows.length > 0 && (
        <Section title="First values that are replaced">
          {overwrites.data.rows.map((r) => (
            <div key={r.row} className="mb-1.5 text-[12.5px]">
              <span className="text-ink-faint">
                row {r.row}, {r.record}
              </span>
              {r.changes
                ?.filter((c) => c.before)
                .map((c) => (
                  <div key={c.field}>
                    <span className="text-ink-soft">{label(c.field)}: </span>
                    <BeforeAfter before={c.before} after={c.after} />
                  </div>
                ))}
            </div>
          ))}
        </Section>
      )}
      <Dialog
        open={asking}
        onClose={() => setAsking(false)}
        title={`Load ${i.name}?`}
        foot={
          <>
            <Button onClick={() => setAsking(false)}>Not yet</Button>
            <Button
              look="act"
              onClick={() => {
                setAsking(false);
                acts.load.mutate();
              }}
            >
              {loadWords(i)}
            </Button>
          </>
        }
      >
        <p>
          {count(v["create"] ?? 0)} {t?.plural.toLowerCase()} are made and {count(v["update"] ?? 0)} are changed
          {i.totals &&
            i.totals.changes.length > 0 &&
            ` in ${count(i.totals.changes.reduce((n, c) => n + c.count, 0))} values`}.{" "}
          {(v["hold"] ?? 0) > 0 && `${count(v["hold"] ?? 0)} rows are held back and stay as they are.`}
        </p>
        {i.totals?.changes.some((c) => c.over > 0) && (
          <p className="mt-2 rounded bg-ask-soft px-2 py-1">
            {count(i.totals.changes.reduce((n, c) => n + c.over, 0))} values that are there now are replaced.
          </p>
        )}
      </Dialog>
    </>
  );
}

const meaning: Record<string, string> = {
  create: "new records",
  update: "records get new values",
  same: "say nothing new",
  skip: "are left out by what the import may do",
  ask: "wait for an answer",
  hold: "are held back; they have problems",
};

export function ResultPanel({ workspace, i, t, filter, onFilter, onStation }: PanelProps) {
  const base = `/api/v1/workspaces/${workspace}/imports/${i.id}/rows.csv`;
  const outcomes = outcomeWords.filter((w) => i.outcomes[w]);
  if (!outcomes.length)
    return <p className="px-4 py-3 text-ink-soft">Nothing is loaded yet. What happens to each row is shown here.</p>;
  const left = (i.outcomes["held"] ?? 0) + (i.outcomes["failed"] ?? 0);
  return (
    <>
      <Section title={i.state === "loaded" ? "Loaded" : i.state}>
        <ul className="space-y-1">
          {outcomes.map((w) => (
            <li key={w} className="flex items-center gap-2">
              <span className="figures w-12 text-right font-semibold">{count(i.outcomes[w] ?? 0)}</span>
              <Chip
                on={filter.outcome === w}
                onClick={() => onFilter({ outcome: filter.outcome === w ? "" : w, verdict: "", problem: "", field: "" })}
              >
                <Word word={w} />
              </Chip>
            </li>
          ))}
        </ul>
        {t && (i.outcomes["created"] ?? 0) > 0 && (
          <Link className="mt-2 block text-act" to={`/w/${workspace}/records/${t.name}?import=${i.id}`}>
            See the new {t.plural.toLowerCase()}
          </Link>
        )}
      </Section>
      <Section title="As a sheet">
        {[
          ["", "every row with its outcome"],
          ["created", "what was created, with the new ids"],
          ["held", "what is held, with what is wrong"],
          ["failed", "what failed"],
        ]
          .filter(([w]) => !w || i.outcomes[w])
          .map(([w, text]) => (
            <a key={w} className="mb-1 flex items-center gap-1.5 text-act" href={w ? `${base}?outcome=${w}` : base}>
              <Download size={14} /> {text}
            </a>
          ))}
      </Section>
      {left > 0 && (
        <Section title="What is left">
          <p className="mb-2 text-ink-soft">
            {count(left)} rows are not in. Change the mapping or what the words mean, then check and load what is left.
          </p>
          <Button onClick={() => onStation("columns")}>Mend and check again</Button>
        </Section>
      )}
    </>
  );
}

/** The suggestions for the columns of an import, by header. */
export function useSuggestions(workspace: string, i: Import | undefined) {
  const q = useQuery(suggestions(workspace, i?.id ?? 0, i?.into ?? "", i !== undefined && i.busy !== "read" && !!i.into));
  return new Map(q.data?.columns.map((s) => [s.column, s]));
}
