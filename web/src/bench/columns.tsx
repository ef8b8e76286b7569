import { useMutation, useQuery } from "@tanstack/react-query";
import { GripVertical, X } from "lucide-react";
import { useState } from "react";
import { api, must, type Field, type Import, type Recognised, type Routine } from "../api/client";
import { act, suggestions, who } from "../api/queries";
import { NewTypeDialog } from "../ui/newtype";
import { Button, Choose, cx, Dialog, inputClass, Labelled, Wrong } from "../ui/parts";
import { fillable } from "../ui/rights";
import { HomeOffer } from "./home";
import { useEditing } from "./edited";
import { ExpressionDialog } from "./expression";
import {
  dropDraft,
  fromSuggestions,
  labelOf,
  originOf,
  partsOf,
  place,
  routineOf,
  saidName,
  setDraft,
  setOrigin,
  spot,
  titleOf,
  unmet,
  type Kind,
  type Spot,
} from "./mapping";
import { count } from "../ui/verdict";
import { FindDialog, OriginDialog, OriginWords, WhenDialog } from "./origins";
import { Section, type PanelProps } from "./panel";
import { ValuesDialog } from "./values";

/** How many columns that are left out are named. */
const mostNamed = 20;

/** What is open over the panel. */
type Open =
  | { what: "name" }
  | { what: "origin"; k: Kind; f: Field }
  | { what: "compute"; k: Kind; f: Field }
  | { what: "find"; k: Kind; f: Field }
  | { what: "when"; k: Kind; f: Field }
  | { what: "where"; k: Kind }
  | { what: "values"; k: Kind; at: Spot };

export function ColumnsPanel({ workspace, i, t, kinds, types, row, onStation }: PanelProps) {
  const fixed = !act(i, "change_routine").can;
  const { editing } = useEditing();
  const put = (what: string, r: Routine) => void editing.put(what, r).catch(() => undefined); // said above the grid
  const path = { workspace, import: i.id };
  const draft = useMutation({
    mutationFn: (body: { type: string; name?: string }) =>
      editing.through(`also ${body.type}`, (version) =>
        must(
          api.POST("/workspaces/{workspace}/imports/{import}/drafts", {
            params: { path, header: { "If-Match": `"${version}"` } },
            body,
          }),
        ),
      ),
  });
  const use = useMutation({
    mutationFn: (name: string) =>
      editing.through(`routine ${name}`, (version) =>
        must(
          api.PUT("/workspaces/{workspace}/imports/{import}/routine/{name}", {
            params: { path: { ...path, name }, header: { "If-Match": `"${version}"` } },
          }),
        ),
      ),
  });
  const [opened, setOpen] = useState<Open>();
  const open = opened && "k" in opened ? { ...opened, k: kinds.find((k) => k.name === opened.k.name) ?? opened.k } : opened; // as it is now
  const [failed, setFailed] = useState<unknown>();
  const [making, setMaking] = useState(false);
  const me = useQuery(who);
  const missing = unmet(kinds);
  const known = useQuery(suggestions(workspace, i));
  const used = known.data?.routines.find((r) => r.name === i.routine?.name);
  const differs = used && drift(used);
  const offers = known.data?.routines.filter((r) => r.name !== i.routine?.name) ?? [];
  const close = () => setOpen(undefined);
  const into = async (name: string) => {
    const list = await must(
      api.GET("/workspaces/{workspace}/imports/{import}/suggestions", {
        params: { path: { workspace, import: i.id }, query: { into: name } },
      }),
    );
    return editing.put(`rows become ${name}`, fromSuggestions(name, list.columns));
  };
  const together = async (names: string[]) => {
    const [first, ...rest] = names;
    if (!first) return;
    await into(first);
    for (const type of rest) await draft.mutateAsync({ type });
  };
  const kindOf = (k: Kind) => (kinds.length > 1 ? `${titleOf(k, kinds)} · ` : "");
  const without = kinds.flatMap((k) =>
    Object.entries(k.d.fields)
      .filter(([, o]) => o.fixed ?? o.compute ?? o.draft ?? o.find ?? o.when)
      .map(([name, o]) => ({ k, at: spot(k.name, name), o })),
  );
  const lists = kinds.flatMap((k) =>
    k.t.fields
      .filter(
        (f) => k.d.fields[f.name]?.from?.length === 1 && ["choice", "choices", "reference", "country", "yes_no"].includes(f.type),
      )
      .map((f) => ({ k, f, at: spot(k.name, f.name) })),
  );
  return (
    <>
      <Section title="Each row becomes">
        {kinds.length < 2 && (
          <Choose
            label="Record type"
            disabled={fixed}
            value={i.into ?? ""}
            onChange={(v) => void into(v).catch(setFailed)}
            options={types.map((x) => ({ value: x.name, label: x.label }))}
          />
        )}
        {kinds.length === 0 && !fixed && me.data?.role === "administrator" && (
          <Button look="quiet" className="mt-1.5" onClick={() => setMaking(true)}>
            None of these: a type of its own…
          </Button>
        )}
        {making && (
          <NewTypeDialog
            workspace={workspace}
            importId={i.id}
            onClose={() => setMaking(false)}
            onAdded={(made) => void into(made.name).catch(setFailed)}
          />
        )}
        {kinds.length > 1 && (
          <ul className="space-y-1">
            {kinds.map((k) => (
              <OneKind
                key={k.name}
                k={k}
                kinds={kinds}
                disabled={fixed}
                routine={routineOf(i)}
                onChange={(r) => put(`how ${k.t.plural.toLowerCase()} are made`, r)}
              />
            ))}
          </ul>
        )}
        {kinds.length > 1 && (
          <label
            className="mt-1.5 flex items-center gap-1.5 text-[12.5px] text-ink-soft"
            title="Else a row is held as a whole: none of its records is written while one of them has a problem."
          >
            <input
              type="checkbox"
              checked={i.routine?.held === "record"}
              disabled={fixed || (i.written && i.routine?.held === "record")}
              onChange={(e) => put("what is held together", { ...routineOf(i), held: e.target.checked ? "record" : "row" })}
            />
            a record that is held does not hold the others of its row
          </label>
        )}
        {known.data?.together && (
          <div className="mt-2 rounded-md border border-ask bg-ask-soft px-2.5 py-1.5">
            <div className="flex items-center justify-between gap-2">
              <b className="min-w-0 font-medium">
                {known.data.together.types.map((name) => types.find((x) => x.name === name)?.label ?? name).join(" + ")}?
              </b>
              <Button
                disabled={fixed || draft.isPending}
                onClick={() => void together(known.data.together?.types ?? []).catch(setFailed)}
              >
                Make these
              </Button>
            </div>
            <span className="text-[12px] text-ink-soft">{known.data.together.reason}</span>
          </div>
        )}
        <HomeOffer workspace={workspace} i={i} />
        {known.data?.drafts.map((d) => (
          <div key={d.type} className="mt-2 rounded-md border border-ask bg-ask-soft px-2.5 py-1.5">
            <div className="flex items-center justify-between gap-2">
              <b className="font-medium">Also {types.find((x) => x.name === d.type)?.plural.toLowerCase()}?</b>
              <Button
                disabled={fixed || draft.isPending}
                onClick={() => draft.mutate({ type: d.type, ...(d.name && { name: d.name }) })}
              >
                Make them too
              </Button>
            </div>
            <span className="text-[12px] text-ink-soft">{d.reason}</span>
          </div>
        ))}
        {t && !fixed && (
          <div className="mt-2">
            <Choose
              label="Also make a record of another type from each row"
              value=""
              onChange={(v) => draft.mutate(freeName(v, kinds))}
              placeholder="and also…"
              options={types.map((x) => ({ value: x.name, label: x.label }))}
            />
          </div>
        )}
        <Wrong error={draft.error ?? failed} className="mt-2" />
      </Section>
      {offers.length > 0 && !fixed && (
        <Section title="A routine fits">
          {offers.slice(0, 3).map((r) => (
            <div key={r.name} className="mb-1.5 rounded-md border border-ask bg-ask-soft px-2.5 py-1.5">
              <div className="flex items-center justify-between gap-2">
                <b className="truncate font-medium">{r.name}</b>
                <Button onClick={() => use.mutate(r.name)}>Use it</Button>
              </div>
              <span className="text-[12px] text-ink-soft">
                {Math.round(r.share * 100)} % of its columns are here
                {drift(r)}
              </span>
            </div>
          ))}
          <Wrong error={use.error} />
        </Section>
      )}
      {used && differs && (
        <Section title={`Other than what “${used.name}” was made for`}>
          <p className={cx("text-[12.5px]", used.missing.some((m) => m.needed && !m.now) ? "text-ask" : "text-ink-soft")}>
            {differs.slice(2)}
          </p>
        </Section>
      )}
      {t && (
        <Section title={missing.length ? "Required and not placed" : "All required fields are placed"}>
          {missing.length > 0 && (
            <p className="mb-2 text-[12.5px] text-ink-soft">Drag one onto a column, or say where else it comes from.</p>
          )}
          <ul className="space-y-1">
            {missing.map(({ k, f }) => (
              <li
                key={spot(k.name, f.name)}
                draggable
                onDragStart={(e) => e.dataTransfer.setData("text/field", spot(k.name, f.name))}
                className="flex items-center gap-1.5 rounded-md border border-ask bg-ask-soft py-1 pr-1 pl-1.5"
              >
                <GripVertical size={14} className="shrink-0 text-ask" aria-hidden />
                <span className="min-w-0 truncate font-medium">
                  {kindOf(k)}
                  {f.label}
                </span>
                <span className="ml-auto">
                  <Choose
                    label={`Column for ${f.label}`}
                    className="h-7! w-28!"
                    value=""
                    disabled={fixed}
                    onChange={(v) =>
                      v === "=" ? setOpen({ what: "origin", k, f }) : put(`${v} → ${f.label}`, place(i, v, spot(k.name, f.name)))
                    }
                    options={[
                      { value: "=", label: "another origin…" },
                      ...(i.unplaced ?? []).map((c) => ({ value: c, label: c })),
                    ]}
                  />
                </span>
              </li>
            ))}
          </ul>
        </Section>
      )}
      {without.length > 0 && (
        <Section title="Without a column of their own">
          {without.map(({ k, at, o }) => (
            <div key={at} className="flex items-start justify-between gap-2 py-0.5">
              <span className="min-w-0 break-words">
                {labelOf(kinds, saidName(kinds, at))}: <OriginWords o={o} kinds={kinds} />
              </span>
              <span className="flex shrink-0">
                {(o.compute ?? o.when) && (
                  <Button
                    look="quiet"
                    disabled={fixed}
                    onClick={() => setOpen({ what: o.when ? "when" : "compute", k, f: fieldAt(k, at) })}
                  >
                    Edit
                  </Button>
                )}
                <Button
                  look="quiet"
                  aria-label={`Take ${labelOf(kinds, saidName(kinds, at))} out`}
                  disabled={fixed}
                  onClick={() => put(`${labelOf(kinds, saidName(kinds, at))} taken out`, setOrigin(i, at, undefined))}
                >
                  <X size={14} />
                </Button>
              </span>
            </div>
          ))}
        </Section>
      )}
      {lists.length > 0 && (
        <Section title="What the words mean">
          {lists.map(({ k, f, at }) => (
            <Button key={at} className="mr-1.5 mb-1.5" onClick={() => setOpen({ what: "values", k, at })}>
              {kindOf(k)}
              {f.label}…
            </Button>
          ))}
        </Section>
      )}
      <Section title={i.unplaced?.length ? "Columns that are left out" : "Every column is placed"}>
        <p className="break-words text-ink-soft">
          {(i.unplaced ?? []).slice(0, mostNamed).join(", ")}
          {(i.unplaced?.length ?? 0) > mostNamed && ` and ${count((i.unplaced?.length ?? 0) - mostNamed)} more`}
        </p>
        {t && !fixed && <FixAny kinds={fillable(me.data?.role, kinds)} onFix={(k, f) => setOpen({ what: "origin", k, f })} />}
      </Section>
      {t && (
        <Section title={kinds.some((k) => k.d.where) ? "Only some rows" : "All rows"}>
          {kinds.map((k) => (
            <div key={k.name} className="mb-1.5">
              {k.d.where && <code className="mb-1 block font-mono text-[12px] break-words">{k.d.where}</code>}
              <Button disabled={fixed} onClick={() => setOpen({ what: "where", k })}>
                {kinds.length > 1 ? `Leave ${k.t.plural.toLowerCase()} out…` : "Leave rows out…"}
              </Button>
            </div>
          ))}
        </Section>
      )}
      <div className="sticky bottom-0 flex gap-2 border-t border-line bg-sheet p-4">
        <Button look="act" onClick={() => onStation("check")} disabled={!t}>
          Go on to the check
        </Button>
        <Button onClick={() => setOpen({ what: "name" })} disabled={!t}>
          Save as routine…
        </Button>
      </div>
      {open?.what === "name" && (
        <NameDialog
          name={i.routine?.name ?? ""}
          onClose={close}
          onSave={async (name) => {
            const r = routineOf(i);
            const body = { ...r, name, reading: i.reading ?? {}, ignored: i.unplaced ?? [] };
            await must(api.PUT("/workspaces/{workspace}/routines/{name}", { params: { path: { workspace, name } }, body }));
            put(`saved as ${name}`, { ...r, name });
          }}
        />
      )}
      {(open?.what === "where" || open?.what === "compute") && (
        <ExpressionDialog
          workspace={workspace}
          i={i}
          kind={open.k}
          {...(open.what === "compute" ? { at: spot(open.k.name, open.f.name) } : {})}
          row={row}
          title={
            open.what === "compute"
              ? `${kindOf(open.k)}${open.f.label}, computed for each row`
              : kinds.length > 1
                ? `Make ${open.k.t.plural.toLowerCase()} only of rows for which this holds`
                : "Take only rows for which this holds"
          }
          value={(open.what === "compute" ? originOf(i, spot(open.k.name, open.f.name))?.compute : open.k.d.where) ?? ""}
          onClose={close}
          onSave={(r) => editing.put(open.what === "where" ? "which rows are taken" : `${open.f.label} computed`, r)}
        />
      )}
      {open?.what === "origin" && (
        <OriginDialog
          f={open.f}
          k={open.k}
          kinds={kinds}
          onClose={close}
          onOther={(what) => setOpen({ what, k: open.k, f: open.f })}
          onSet={(o) => put(`origin of ${open.f.label}`, setOrigin(i, spot(open.k.name, open.f.name), o))}
        />
      )}
      {open?.what === "find" && (
        <FindDialog
          i={i}
          f={open.f}
          types={types}
          start={originOf(i, spot(open.k.name, open.f.name))?.find ?? {}}
          onClose={close}
          onSave={(find) => editing.put(`look-up of ${open.f.label}`, setOrigin(i, spot(open.k.name, open.f.name), { find }))}
        />
      )}
      {open?.what === "when" && (
        <WhenDialog
          i={i}
          f={open.f}
          start={originOf(i, spot(open.k.name, open.f.name))}
          onClose={close}
          onSave={(o) => editing.put(`rows of ${open.f.label}`, setOrigin(i, spot(open.k.name, open.f.name), o))}
        />
      )}
      {open?.what === "values" && (
        <ValuesDialog
          workspace={workspace}
          i={i}
          kind={open.k}
          at={open.at}
          types={types}
          onClose={close}
          onSave={(values) =>
            put(
              `what the words of ${labelOf(kinds, saidName(kinds, open.at))} mean`,
              setOrigin(i, open.at, { ...originOf(i, open.at), values }),
            )
          }
        />
      )}
    </>
  );
}

function fieldAt(k: Kind, at: Spot): Field {
  const [, name] = partsOf(at);
  return k.t.fields.find((f) => f.name === name) ?? { name, label: name, type: "text" };
}

/** A name for a further record of a type: its own, or with a number. */
function freeName(type: string, kinds: Kind[]): { type: string; name?: string } {
  if (!kinds.some((k) => k.name === type)) return { type };
  for (let n = 2; ; n++) if (!kinds.some((k) => k.name === `${type}_${n}`)) return { type, name: `${type}_${n}` };
}

/** One of the records that a row becomes, with how its rows are grouped. */
function OneKind(p: { k: Kind; kinds: Kind[]; disabled: boolean; routine: Routine; onChange: (r: Routine) => void }) {
  const { k } = p;
  const columns = new Set(Object.values(k.d.fields).flatMap((o) => o.from ?? [])).size;
  const pointedTo = p.kinds.some((x) => Object.values(x.d.fields).some((o) => o.draft === k.name));
  return (
    <li className="rounded-md border border-line bg-raised px-2.5 py-1.5">
      <div className="flex items-center gap-2">
        <b className="min-w-0 truncate font-medium">{titleOf(k, p.kinds)}</b>
        <span className="figures text-[12px] text-ink-soft">{count(columns)} columns</span>
        <Button
          look="quiet"
          className="ml-auto px-1!"
          disabled={p.disabled}
          aria-label={`Make no ${k.t.plural.toLowerCase()} from the rows`}
          onClick={() => p.onChange(dropDraft(p.routine, k.name))}
        >
          <X size={14} />
        </Button>
      </div>
      {k.d.by_name && (
        <label
          className="flex items-center gap-1.5 text-[12.5px] text-ink-soft"
          title="Rows of one name make it once, with what they agree on; another of the name is asked about."
        >
          <input
            type="checkbox"
            checked
            disabled={p.disabled}
            onChange={() => p.onChange(setDraft(p.routine, k.name, { by_name: false }))}
          />
          the whole name tells which is meant
        </label>
      )}
      {pointedTo && (
        <label className="flex items-center gap-1.5 text-[12.5px] text-ink-soft">
          <input
            type="checkbox"
            checked={k.d.grouped ?? false}
            disabled={p.disabled}
            onChange={(e) => p.onChange(setDraft(p.routine, k.name, { grouped: e.target.checked }))}
          />
          blank rows belong to the one above
        </label>
      )}
    </li>
  );
}

function FixAny({ kinds, onFix }: { kinds: Kind[]; onFix: (k: Kind, f: Field) => void }) {
  const free = kinds.flatMap((k) =>
    k.t.fields.filter((f) => !k.d.fields[f.name]).map((f) => ({ k, f, at: spot(k.name, f.name) })),
  );
  return (
    <div className="mt-2">
      <span className="mb-1 block text-[12px] text-ink-faint">Give another field a value without a column:</span>
      <Choose
        label="Give a field a value without a column"
        value=""
        onChange={(v) => {
          const x = free.find((y) => y.at === v);
          if (x) onFix(x.k, x.f);
        }}
        options={free.map(({ f, at }) => ({
          value: at,
          label: `${labelOf(kinds, saidName(kinds, at))}${f.required ? " *" : ""} …`,
        }))}
      />
    </div>
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

/** The suggestions for the columns of an import, by header. */
export function useSuggestions(workspace: string, i: Import | undefined) {
  const { data, isLoading } = useQuery(suggestions(workspace, i));
  return {
    awaited: isLoading,
    of: new Map(data?.columns.filter((s) => !s.fixed).map((s) => [s.column, s])),
    opposite: new Set(data?.opposite),
    unlike: new Map(data?.unlike?.map((u) => [u.column, u.why])),
    partings: data?.partings ?? [],
  };
}

/** What is otherwise in a file than a routine knows it, in words behind a semicolon. */
function drift(r: Recognised): string {
  const renamed = r.missing.filter((m) => m.now).map((m) => `${m.column} is now ${m.now}`);
  const gone = r.missing.filter((m) => !m.now).map((m) => (m.needed ? `${m.column} (needed)` : m.column));
  return [
    renamed.join(", "),
    gone.length > 0 && `missing: ${gone.join(", ")}`,
    r.new.length > 0 && `new: ${r.new.join(", ")}`,
    r.values && r.values.length > 0 && `not known: ${r.values.map((v) => `“${v.text}” in ${v.column}`).join(", ")}`,
  ]
    .filter(Boolean)
    .map((x) => `; ${x}`)
    .join("");
}
