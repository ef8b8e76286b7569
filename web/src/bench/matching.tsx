import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { ArrowDown, ArrowUp, X } from "lucide-react";
import { useEffect, useMemo, useState } from "react";
import { api, must, type Draft, type Import, type MatchRule, type RecordType, type Routine } from "../api/client";
import { act } from "../api/queries";
import { Button, Choose, cx, Dialog, inputClass, Labelled, Wrong, type Option } from "../ui/parts";
import { count, DraftTotals, TotalsBar, verdictWords } from "../ui/verdict";
import { applied, changesBetween, type Change } from "./changes";
import { useEditing, useKept } from "./edited";
import { routineOf, setDraft as withDraft } from "./mapping";
import { KindTabs, Section, type PanelProps } from "./panel";

const mays: Option<Routine["may"]>[] = [
  { value: "create_or_update", label: "create records and update those found" },
  { value: "create", label: "only create; rows found are left out" },
  { value: "update", label: "only update; rows not found are left out" },
  { value: "delete", label: "delete the records that are found" },
];
const repeats: Option<NonNullable<Draft["repeats"]>>[] = [
  { value: "hold", label: "hold the later ones" },
  { value: "once", label: "make one, hold what contradicts" },
  { value: "first", label: "the first counts" },
  { value: "last", label: "the last counts" },
  { value: "merge", label: "make one of them, top to bottom" },
  { value: "ask", label: "ask me" },
];
const boths: Option<NonNullable<Draft["both"]>>[] = [
  { value: "replace", label: "the row's value replaces it" },
  { value: "keep", label: "the record's value stays" },
  { value: "newer", label: "the newer by a date column" },
];
const unreadables: Option<NonNullable<Draft["unreadable"]>>[] = [
  { value: "hold", label: "hold the row" },
  { value: "leave_out", label: "load the row without it, and list it" },
];

const blanks: Option<NonNullable<Draft["blank"]>>[] = [
  { value: "leave", label: "what is there stays" },
  { value: "clear", label: "the value is emptied" },
];
const severals: Option<NonNullable<MatchRule["several"]>>[] = [
  { value: "ask", label: "several: ask" },
  { value: "hold", label: "several: hold" },
  { value: "skip", label: "several: leave out" },
  { value: "oldest", label: "several: oldest" },
  { value: "newest", label: "several: newest" },
  { value: "fullest", label: "several: fullest" },
];
const ones: Option<"take" | "ask">[] = [
  { value: "take", label: "one: take" },
  { value: "ask", label: "one: ask" },
];

const asImport = "as the import";
const takeAt = 95;
const askAt = 40;

function labelOf(t: RecordType | undefined, name: string): string {
  return name === "id" ? "record id" : (t?.fields.find((f) => f.name === name)?.label ?? name);
}

/** The rule in words, as far as its fields are placed. */
function inWords(m: MatchRule, t: RecordType | undefined, there: (name: string) => boolean): string {
  const alike = (m.alike ?? []).filter(there).map((n) => labelOf(t, n));
  return [
    m.fields?.length ? `the same ${m.fields.map((n) => labelOf(t, n)).join(" and ")}` : "",
    alike.length ? `alike in ${alike.join(", ")}` : "",
  ]
    .filter(Boolean)
    .join(", and ");
}

/** How rows find their records, with what the rules would find as they are changed. */
export function MatchingPanel({ workspace, i, kinds, draft: named, onDraft, onStation }: PanelProps) {
  const at = kinds.find((k) => k.name === named) ?? kinds[0];
  const t = at?.t;
  const { editing } = useEditing();
  const fixed = !act(i, "change_routine").can;
  const kept = routineOf(i);
  // What is changed here is tried at once and used when the person says so; until
  // then it stays, whatever row or station is shown, also over what others change.
  const [changes, setChanges] = useKept<Change[]>("matching", []);
  const draft = changes.length > 0 ? applied(kept, changes) : undefined;
  const r = draft ?? kept;
  const setDraft = (next: Routine | undefined) => setChanges(next ? changesBetween(kept, next) : []);
  const [failed, setFailed] = useState<unknown>();
  const d: Draft = r.drafts.find((x) => (x.name ?? x.type) === at?.name) ?? { type: "", fields: {} };
  const rules = d.match?.length ? d.match : (t?.match ?? []);
  const placedField = (name: string) => d.fields[name] !== undefined;
  const pointedTo = r.drafts.some((x) => Object.values(x.fields).some((o) => o.draft === at?.name));
  const usual = pointedTo ? "once" : "hold";
  const change = (part: Partial<Draft>) => setDraft(withDraft(r, at?.name ?? "", part));
  const setRule = (n: number, part: Partial<MatchRule>) =>
    change({ match: rules.map((m, at) => (at === n ? { ...m, ...part } : m)) });
  const move = (n: number, by: number) => {
    const list = [...rules];
    const [one] = list.splice(n, 1);
    if (one) list.splice(n + by, 0, one);
    change({ match: list });
  };
  const [adding, setAdding] = useState(false);
  const [each, setEach] = useState(false);
  const exceptions = Object.entries(d.fields).filter(([, o]) => o.both || o.blank || o.unreadable);
  return (
    <>
      <Section title="What the import may do">
        <Choose
          label="What the import may do"
          disabled={fixed}
          value={r.may}
          options={mays}
          onChange={(v) => setDraft({ ...r, may: v })}
        />
      </Section>
      {t && <Tried workspace={workspace} i={i} routine={r} />}
      <KindTabs kinds={kinds} at={at} onDraft={onDraft} />
      {at && kinds.length > 1 && (
        <Section title={`What it may do with ${at.t.plural.toLowerCase()}`}>
          <Choose
            label={`What the import may do with ${at.t.plural.toLowerCase()}`}
            disabled={fixed}
            value={d.may ?? asImport}
            options={[{ value: asImport, label: "as the import" }, ...mays.filter((m) => m.value !== "delete")]}
            onChange={(v) => change({ may: v === asImport ? undefined : (v as Routine["may"]) })}
          />
        </Section>
      )}
      <Section title="How a row finds its record">
        <ol className="space-y-2.5">
          {rules.map((m, n) => {
            const alike = (m.alike?.length ?? 0) > 0;
            const works = (m.fields ?? []).every(placedField) && (!alike || m.alike?.some(placedField));
            return (
              <li key={n} className={cx("rounded-md border border-line bg-raised px-2.5 py-2", !works && "text-ink-soft")}>
                <div className="flex items-start gap-1.5">
                  <span className="figures w-4 text-right text-ink-faint">{n + 1}</span>
                  <span className="min-w-0 flex-1">
                    {works ? inWords(m, t, placedField) : inWords(m, t, () => true)}
                    {!works && <span className="block text-[12px] text-ink-faint">Not in use: no column is placed on it.</span>}
                  </span>
                  {!fixed && (
                    <span className="flex">
                      <IconButton label={`Rule ${n + 1} earlier`} disabled={n === 0} onClick={() => move(n, -1)}>
                        <ArrowUp size={13} />
                      </IconButton>
                      <IconButton label={`Rule ${n + 1} later`} disabled={n === rules.length - 1} onClick={() => move(n, 1)}>
                        <ArrowDown size={13} />
                      </IconButton>
                      <IconButton
                        label={`Take rule ${n + 1} out`}
                        disabled={rules.length === 1}
                        onClick={() => change({ match: rules.filter((_, at) => at !== n) })}
                      >
                        <X size={13} />
                      </IconButton>
                    </span>
                  )}
                </div>
                {works && alike && (
                  <div className="mt-1.5 grid grid-cols-2 gap-2 pl-5.5 text-[12px]">
                    <Bound
                      label="take at"
                      value={m.take_at ?? takeAt}
                      disabled={fixed}
                      onChange={(v) => setRule(n, { take_at: v })}
                    />
                    <Bound
                      label="ask at"
                      value={m.ask_at ?? askAt}
                      disabled={fixed}
                      onChange={(v) => setRule(n, { ask_at: v })}
                    />
                  </div>
                )}
                {works && m.fields?.[0] !== "id" && (
                  <div className="mt-1.5 grid grid-cols-2 gap-2 pl-5.5">
                    <Choose
                      label={`What a single find of rule ${n + 1} means`}
                      className="h-7! text-[12px]!"
                      disabled={fixed}
                      value={m.one ?? "take"}
                      options={ones}
                      onChange={(v) => setRule(n, { one: v })}
                    />
                    <Choose
                      label={`What several finds of rule ${n + 1} mean`}
                      className="h-7! text-[12px]!"
                      disabled={fixed}
                      value={m.several ?? "ask"}
                      options={severals}
                      onChange={(v) => setRule(n, { several: v })}
                    />
                  </div>
                )}
              </li>
            );
          })}
        </ol>
        {t && !rules.some((m) => (m.fields ?? []).every(placedField) && (!m.alike?.length || m.alike.some(placedField))) && (
          <p className="mt-1.5 text-[12.5px] text-ink-soft">
            Nothing that is placed tells which record a row is for. A row that is equal to a record in all that it says is that
            record; every other makes a new one.
          </p>
        )}
        {pointedTo && !d.match?.length && (
          <p className="mt-1.5 text-[12.5px] text-ink-soft">
            Else the one record of the same name, if nothing that is known of both says otherwise.
          </p>
        )}
        {!fixed && t && (
          <div className="mt-2 flex gap-2">
            <Button onClick={() => setAdding(true)}>Add a rule…</Button>
            {(d.match?.length ?? 0) > 0 && (
              <Button look="quiet" onClick={() => change({ match: [] })}>
                The usual rules
              </Button>
            )}
          </div>
        )}
      </Section>
      {!fixed && draft && (
        <div className="sticky bottom-0 z-10 border-y border-ask bg-ask-soft px-4 py-2.5">
          <Wrong error={failed} className="mb-2" />
          <div className="flex gap-2">
            <Button
              look="act"
              onClick={() => void editing.put("how records are found", draft).then(() => setDraft(undefined), setFailed)}
            >
              Use these rules
            </Button>
            <Button onClick={() => setDraft(undefined)}>Leave them as they were</Button>
          </div>
        </div>
      )}
      <Section title="Rows of this file for the same record">
        <Choose
          label="Rows for the same record"
          disabled={fixed}
          value={d.repeats ?? usual}
          options={repeats.filter((x) => !pointedTo || x.value !== "last")}
          onChange={(v) => change({ repeats: v })}
        />
      </Section>
      <Section title="Against damage">
        <div className="space-y-2">
          <Labelled label="When record and row both have a value">
            <Choose
              label="When both have a value"
              disabled={fixed}
              value={d.both ?? "replace"}
              options={boths}
              onChange={(v) => change({ both: v })}
            />
          </Labelled>
          {(d.both === "newer" || d.newer_by || exceptions.some(([, o]) => o.both === "newer")) && (
            <Labelled label="The column that tells how old a row is">
              <Choose
                label="The column that tells how old a row is"
                disabled={fixed}
                value={d.newer_by ?? ""}
                options={(i.columns ?? []).map((c) => ({ value: c.header, label: c.header }))}
                onChange={(v) => change({ newer_by: v })}
              />
            </Labelled>
          )}
          <Labelled
            label="When the cell is blank"
            hint={`A cell that says ${d.clear_marker || "(clear)"} empties that one value.`}
          >
            <Choose
              label="When the cell is blank"
              disabled={fixed}
              value={d.blank ?? "leave"}
              options={blanks}
              onChange={(v) => change({ blank: v })}
            />
          </Labelled>
          <Labelled label="When a value cannot be read" hint="Keys, required fields and links hold their row always.">
            <Choose
              label="When a value cannot be read"
              disabled={fixed}
              value={d.unreadable ?? "hold"}
              options={unreadables}
              onChange={(v) => change({ unreadable: v })}
            />
          </Labelled>
          {exceptions.map(([name, o]) => (
            <div key={name} className="text-[12.5px]">
              <b className="font-medium">{labelOf(t, name)}</b>:{" "}
              {[
                o.both,
                o.blank && `blank: ${o.blank}`,
                o.unreadable && `cannot be read: ${unreadables.find((u) => u.value === o.unreadable)?.label}`,
              ]
                .filter(Boolean)
                .join(", ")}
            </div>
          ))}
          <Button disabled={fixed || !t} onClick={() => setEach(true)}>
            Say it field by field…
          </Button>
        </div>
        <p className="mt-2 text-[12.5px] text-ink-soft">
          A row found by likeness leaves alone what it only writes otherwise: a short name, an initial, other letters. It never
          changes a key.
        </p>
      </Section>
      <div className="p-4">
        <Button look="act" onClick={() => onStation("check")} disabled={!t || draft !== undefined}>
          Go on to the check
        </Button>
      </div>
      {adding && t && (
        <RuleDialog
          t={t}
          placed={placedField}
          onClose={() => setAdding(false)}
          onAdd={(m) => {
            change({ match: [...rules, m] });
            setAdding(false);
          }}
        />
      )}
      {each && t && <FieldsDialog t={t} d={d} onClose={() => setEach(false)} onChange={change} />}
    </>
  );
}

function IconButton(p: { label: string; disabled?: boolean; onClick: () => void; children: React.ReactNode }) {
  return (
    <button
      type="button"
      aria-label={p.label}
      title={p.label}
      disabled={p.disabled}
      onClick={p.onClick}
      className="inline-flex size-6 items-center justify-center rounded text-ink-soft hover:bg-act-soft disabled:opacity-30"
    >
      {p.children}
    </button>
  );
}

/** A bound of likeness in percent; it counts when the field is left or Enter pressed. */
function Bound(p: { label: string; value: number; disabled: boolean; onChange: (v: number) => void }) {
  const [v, setV] = useState(String(p.value));
  useEffect(() => setV(String(p.value)), [p.value]);
  const done = () => {
    const n = Number(v.replace(",", "."));
    if (n >= 1 && n <= 100 && n !== p.value) p.onChange(n);
    else setV(String(p.value));
  };
  return (
    <label className="flex items-center gap-1.5 whitespace-nowrap text-ink-soft">
      {p.label}
      <input
        className={cx(inputClass, "figures h-7! w-12! text-right")}
        inputMode="decimal"
        disabled={p.disabled}
        value={v}
        onChange={(e) => setV(e.target.value)}
        onBlur={done}
        onKeyDown={(e) => e.key === "Enter" && done()}
      />
      %
    </label>
  );
}

/** What the rules as they stand would find, on a sample at once, on all rows when asked. */
function Tried({ workspace, i, routine }: { workspace: string; i: Import; routine: Routine }) {
  const [all, setAll] = useState(false);
  const key = useMemo(() => JSON.stringify(routine), [routine]);
  useEffect(() => setAll(false), [key]);
  const sample = all ? 0 : 2000;
  const tried = useQuery({
    queryKey: ["try", workspace, i.id, key, sample, i.rows],
    enabled: i.busy === "" && i.rows > 0 && Object.keys(routine.drafts[0]?.fields ?? {}).length > 0,
    placeholderData: keepPreviousData,
    staleTime: 60_000,
    retry: false,
    queryFn: () =>
      must(
        api.POST("/workspaces/{workspace}/imports/{import}/try", {
          params: { path: { workspace, import: i.id }, query: { sample } },
          body: routine,
        }),
      ),
  });
  const v = tried.data;
  return (
    <Section title="What these rules find">
      <div className="min-h-20" aria-live="polite">
        <Wrong error={tried.error} />
        {!tried.error && !v && (
          <p className="text-ink-faint">{tried.isFetching ? "Trying them on the rows…" : "Place columns first."}</p>
        )}
        {!tried.error && v && (
          <div className={cx(tried.isFetching && "opacity-60")}>
            <TotalsBar totals={v.totals.verdicts} words={verdictWords} chosen="" onChoose={() => undefined} still />
            <DraftTotals totals={v.totals} />
            <p className="mt-1 text-[12px] text-ink-soft">
              {v.rows < v.of ? `Tried on ${count(v.rows)} of ${count(v.of)} rows.` : `Tried on all ${count(v.of)} rows.`}
              {v.rows < v.of && v.of <= 200_000 && (
                <button type="button" className="ml-1 text-act" disabled={tried.isFetching} onClick={() => setAll(true)}>
                  Try all
                </button>
              )}
            </p>
            {v.totals.asked?.map((a) => (
              <p key={a.kind} className="text-[12.5px]">
                {count(a.count)} asked: {a.message}
              </p>
            ))}
          </div>
        )}
      </div>
    </Section>
  );
}

/** A new rule: fields that must be equal, fields that must be alike. */
function RuleDialog(p: { t: RecordType; placed: (name: string) => boolean; onClose: () => void; onAdd: (m: MatchRule) => void }) {
  const [how, setHow] = useState<Record<string, string>>({});
  const byType = ["email", "phone", "url"];
  const equal = Object.keys(how).filter((n) => how[n] === "same");
  const alike = Object.keys(how).filter((n) => how[n] === "alike");
  return (
    <Dialog
      open
      unsaved={Object.keys(how).length > 0}
      onClose={p.onClose}
      title="A rule by which rows find records"
      foot={
        <Button look="act" disabled={equal.length + alike.length === 0} onClick={() => p.onAdd({ fields: equal, alike })}>
          Add it at the end
        </Button>
      }
    >
      <p className="mb-2 text-ink-soft">
        Fields that must be the same are looked up; fields that must be alike are weighed, and the weight decides.
      </p>
      <table className="w-full">
        <tbody>
          {p.t.fields
            .filter((f) => p.placed(f.name))
            .map((f) => {
              const options = [{ value: "no", label: "–" }];
              if (f.key || f.lookup) options.push({ value: "same", label: "the same" });
              if (f.likeness || byType.includes(f.type)) options.push({ value: "alike", label: "alike" });
              return (
                <tr key={f.name} className="border-b border-line last:border-0">
                  <td className="py-1">{f.label}</td>
                  <td className="w-36 py-1">
                    {options.length > 1 ? (
                      <Choose
                        label={`How ${f.label} is compared`}
                        value={how[f.name] ?? "no"}
                        options={options}
                        onChange={(v) => setHow({ ...how, [f.name]: v })}
                      />
                    ) : (
                      <span className="text-[12px] text-ink-faint">not compared</span>
                    )}
                  </td>
                </tr>
              );
            })}
        </tbody>
      </table>
    </Dialog>
  );
}

/** Policies for single fields, where they differ from those for all. */
function FieldsDialog(p: { t: RecordType; d: Draft; onClose: () => void; onChange: (part: Partial<Draft>) => void }) {
  const [fields, setFields] = useState(p.d.fields);
  const as = "as above";
  return (
    <Dialog
      open
      wide
      unsaved={JSON.stringify(fields) !== JSON.stringify(p.d.fields)}
      onClose={p.onClose}
      title="Field by field"
      foot={
        <Button
          look="act"
          onClick={() => {
            p.onChange({ fields });
            p.onClose();
          }}
        >
          Keep it so
        </Button>
      }
    >
      <table className="w-full">
        <thead>
          <tr className="border-b border-line text-left text-[12px] text-ink-soft">
            <th className="py-1 font-medium">Field</th>
            <th className="py-1 font-medium">When both have a value</th>
            <th className="py-1 font-medium">When the cell is blank</th>
          </tr>
        </thead>
        <tbody>
          {p.t.fields
            .filter((f) => fields[f.name])
            .map((f) => {
              const o = fields[f.name] ?? {};
              const adds =
                f.type === "long_text" || f.type === "choices" || (f.type === "text" && !f.key && !p.t.title.includes(f.name));
              const set = (part: object) => setFields({ ...fields, [f.name]: { ...o, ...part } });
              return (
                <tr key={f.name} className="border-b border-line last:border-0">
                  <td className="py-1 pr-2">{f.label}</td>
                  <td className="w-56 py-1 pr-2">
                    <Choose
                      label={`${f.label}, when both have a value`}
                      value={o.both ?? as}
                      options={[
                        { value: as, label: as },
                        ...boths,
                        ...(adds ? [{ value: "add", label: "the row's value is added" }] : []),
                      ]}
                      onChange={(v) => set({ both: v === as ? undefined : v })}
                    />
                  </td>
                  <td className="w-48 py-1">
                    <Choose
                      label={`${f.label}, when the cell is blank`}
                      disabled={f.required ?? false}
                      value={o.blank ?? as}
                      options={[{ value: as, label: as }, ...blanks]}
                      onChange={(v) => set({ blank: v === as ? undefined : v })}
                    />
                  </td>
                </tr>
              );
            })}
        </tbody>
      </table>
    </Dialog>
  );
}
