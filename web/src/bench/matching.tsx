import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api, must, type Draft, type Import, type RecordType, type Routine } from "../api/client";
import { act } from "../api/queries";
import { Button, Choose, cx, Dialog, Labelled, Wrong, type Option } from "../ui/parts";
import { labelOf, RuleDialog, RuleList } from "../ui/rules";
import { count, DraftTotals, TotalsBar, verdictWords } from "../ui/verdict";
import { applied, changesBetween, type Change } from "./changes";
import { useEditing, useKept } from "./edited";
import { repeatChoices, routineOf, setDraft as withDraft } from "./mapping";
import { KindTabs, Section, type PanelProps } from "./panel";

const mays: Option<Routine["may"]>[] = [
  { value: "create_or_update", label: "create records and update those found" },
  { value: "create", label: "only create; rows found are left out" },
  { value: "update", label: "only update; rows not found are left out" },
  { value: "delete", label: "delete the records that are found" },
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
const doubtfuls: Option<NonNullable<Draft["doubtful"]>>[] = [
  { value: "keep", label: "what is there stays, and it is listed" },
  { value: "take", label: "the row's value replaces it" },
  { value: "hold", label: "hold the row" },
];

const blanks: Option<NonNullable<Draft["blank"]>>[] = [
  { value: "leave", label: "what is there stays" },
  { value: "clear", label: "the value is emptied" },
];
const asImport = "as the import";
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
  const [adding, setAdding] = useState(false);
  const [each, setEach] = useState(false);
  const exceptions = Object.entries(d.fields).filter(([, o]) => o.both || o.blank || o.unreadable || o.doubtful);
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
        {t && <RuleList t={t} rules={rules} fixed={fixed} placed={placedField} onChange={(match) => change({ match })} />}
        {t && !rules.some((m) => (m.fields ?? []).every(placedField) && (!m.alike?.length || m.alike.some(placedField))) && (
          <p className="mt-1.5 text-[12.5px] text-ink-soft">
            Nothing that is placed tells which record a row is for.{" "}
            {d.match?.length
              ? "Place a column on what these rules compare, or choose others: so it cannot be checked."
              : "A row that is equal to a record in all that it says is that record; every other makes a new one."}
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
          options={repeatChoices.filter((x) => !pointedTo || x.value !== "last")}
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
          <Labelled
            label="When the record knows it better"
            hint="An older date, an earlier stage, a private mailbox over one at the company; unless it is said what two values mean."
          >
            <Choose
              label="When the record knows it better"
              disabled={fixed}
              value={d.doubtful ?? "keep"}
              options={doubtfuls}
              onChange={(v) => change({ doubtful: v })}
            />
          </Labelled>
          <Labelled
            label="When a value cannot be read"
            hint="Keys and required fields hold their row always; links unless it is said of them."
          >
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
                o.doubtful && `known better: ${doubtfuls.find((u) => u.value === o.doubtful)?.label}`,
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
