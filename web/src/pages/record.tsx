import { Paperclip } from "lucide-react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, must, type Field, type Rec, type RecordType } from "../api/client";
import { types, who } from "../api/queries";
import { Button, Choose, inputClass, Labelled, Loading, Panel, Wrong } from "../ui/parts";
import { fills, sees } from "../ui/rights";
import { count, size } from "../ui/verdict";
import { fileAddress, Value } from "./records";
import { when } from "./start";

export function RecordPage() {
  const { workspace = "main", type = "", id = "" } = useParams();
  const kinds = useQuery(types(workspace));
  const path = { workspace, type, id };
  const record = useQuery({
    queryKey: ["record", workspace, type, id],
    queryFn: () => must(api.GET("/workspaces/{workspace}/records/{type}/{id}", { params: { path } })),
  });
  const history = useQuery({
    queryKey: ["history", workspace, type, id],
    queryFn: () => must(api.GET("/workspaces/{workspace}/records/{type}/{id}/history", { params: { path } })),
  });
  const me = useQuery(who);
  const [changing, setChanging] = useState(false);
  const t = kinds.data?.types.find((x) => x.name === type);
  if (record.error && !record.data) return <Wrong error={record.error} className="m-6" />;
  if (!record.data || !t) return <Loading what="the record" />;
  const r = record.data;
  const label = (name: string) => t.fields.find((f) => f.name === name)?.label ?? name;
  return (
    <div className="mx-auto max-w-[1180px] px-7 py-6 max-[900px]:px-3">
      <div className="mb-1 text-[12.5px] text-ink-soft">
        <Link className="text-act" to={`/w/${workspace}/records/${type}`}>
          {t.plural}
        </Link>{" "}
        / {r.id}
      </div>
      <title>{`${r.title} · Uchi`}</title>
      <h1 className="text-[26px]">{r.title}</h1>
      <p className="mb-4 text-[12.5px] text-ink-soft">
        made {when(r.created_at)} by {r.created_by}
        {r.import ? (
          <>
            {" "}
            with{" "}
            <Link className="text-act underline" to={`/w/${workspace}/imports/${r.import}/result`}>
              import {r.import}
            </Link>
          </>
        ) : null}
        {r.version > 1 && `, changed ${when(r.changed_at)} by ${r.changed_by}`} · version {r.version}
      </p>
      <div className="grid grid-cols-[1fr_380px] items-start gap-5">
        <Panel
          title="Fields"
          aside={
            me.data && me.data.role !== "viewer" && !changing && <Button onClick={() => setChanging(true)}>Change values</Button>
          }
        >
          {changing && <ChangeRecord workspace={workspace} t={t} r={r} role={me.data?.role} onClose={() => setChanging(false)} />}
          <dl hidden={changing} className="grid grid-cols-[180px_1fr] gap-y-0 px-4 py-2">
            {t.fields.map((f) => (
              <div key={f.name} className="contents">
                <dt className="border-b border-line py-1.5 text-ink-soft">{f.label}</dt>
                <dd className="border-b border-line py-1.5 break-words whitespace-pre-wrap">
                  {r.values[f.name] ? (
                    <Value workspace={workspace} r={r} f={f} />
                  ) : sees(me.data?.role, f) ? (
                    <span className="text-ink-faint">–</span>
                  ) : (
                    <span className="text-ink-faint">kept from your role</span>
                  )}
                </dd>
              </div>
            ))}
          </dl>
        </Panel>
        <div className="space-y-5">
          <Panel title="What refers to it">
            {r.referring?.length ? (
              r.referring.map((g) => (
                <div key={g.type + g.field} className="border-t border-line px-4 py-2.5 first:border-0">
                  <div className="text-[12.5px] text-ink-soft">
                    {g.label} <span className="figures">({count(g.count)})</span>
                  </div>
                  {g.records.map((l) => (
                    <Link key={l.id} className="block text-act" to={`/w/${workspace}/records/${l.type}/${l.id}`}>
                      {l.title} <span className="text-ink-faint">{l.id}</span>
                    </Link>
                  ))}
                </div>
              ))
            ) : (
              <p className="px-4 py-3 text-ink-soft">No record refers to it.</p>
            )}
          </Panel>
          <Panel title="History">
            {me.data && me.data.role !== "viewer" && <AddNote workspace={workspace} type={type} id={id} />}
            {history.error ? <Wrong error={history.error} className="m-3" /> : null}
            <ol>
              {history.data?.events.map((e) => (
                <li
                  key={`${e.kind} ${e.version} ${e.at} ${e.record?.id ?? ""}`}
                  className="border-t border-line px-4 py-2.5 first:border-0"
                >
                  <div className="flex justify-between gap-2">
                    <span>
                      <b className="font-semibold">{said(e)}</b> by {e.person}
                      {e.import ? (
                        <>
                          {" "}
                          ·{" "}
                          <Link className="text-act underline" to={`/w/${workspace}/imports/${e.import}/result`}>
                            import {e.import}
                          </Link>
                        </>
                      ) : null}
                    </span>
                    <span className="text-[12px] text-ink-faint">{when(e.at)}</span>
                  </div>
                  {e.file && e.record ? (
                    <p className="mt-1 flex items-baseline gap-2 break-words">
                      <Paperclip size={13} className="shrink-0 self-center text-ink-faint" aria-hidden />
                      <a
                        className="text-act underline"
                        href={fileAddress(workspace, e.record.type, e.record.id, e.file.field)}
                        target="_blank"
                        rel="noreferrer"
                      >
                        {e.text}
                      </a>
                      <span className="text-[12px] whitespace-nowrap text-ink-faint">{size(e.file.bytes)}</span>
                      <Link
                        className="ml-auto text-[12px] text-ink-soft"
                        to={`/w/${workspace}/records/${e.record.type}/${e.record.id}`}
                      >
                        {e.record.id}
                      </Link>
                    </p>
                  ) : (
                    e.text && <p className="mt-1 break-words whitespace-pre-wrap">{e.text}</p>
                  )}
                  {e.changes.map((c) => (
                    <div key={c.field} className="mt-1 text-[12.5px]">
                      <span className="text-ink-soft">{label(c.field)}: </span>
                      <BeforeAfter before={c.before} after={c.after} />
                    </div>
                  ))}
                </li>
              ))}
            </ol>
          </Panel>
        </div>
      </div>
    </div>
  );
}

const words: Record<string, string> = {
  create: "Made",
  update: "Changed",
  delete: "Deleted",
  restore: "Came back",
  note: "Noted",
  file: "File",
};

function said(e: { kind: string; undo?: boolean }): string {
  return e.undo && e.kind === "update" ? "Changed back" : (words[e.kind] ?? e.kind);
}

/** The values of a record as a form; what nobody touched stays as it is. */
function ChangeRecord(p: { workspace: string; t: RecordType; r: Rec; role: string | undefined; onClose: () => void }) {
  const { t, r } = p;
  const client = useQueryClient();
  const [values, setValues] = useState<Record<string, string>>({});
  const path = { workspace: p.workspace, type: t.name, id: r.id };
  const save = useMutation({
    mutationFn: () =>
      must(
        api.PATCH("/workspaces/{workspace}/records/{type}/{id}", {
          params: { path, header: { "If-Match": `"${r.version}"` } },
          body: { values },
        }),
      ),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ["record", p.workspace, t.name, r.id] });
      await client.invalidateQueries({ queryKey: ["history", p.workspace, t.name, r.id] });
      p.onClose();
    },
  });
  const now = (f: Field) => values[f.name] ?? r.values[f.name] ?? "";
  const put = (f: Field, v: string) => {
    const rest = Object.fromEntries(Object.entries(values).filter(([name]) => name !== f.name));
    setValues(v === (r.values[f.name] ?? "") ? rest : { ...rest, [f.name]: v });
  };
  const n = Object.keys(values).length;
  return (
    <form
      aria-label={`Values of ${r.title}`}
      className="space-y-3 px-4 py-3"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <div className="grid grid-cols-2 gap-x-4 gap-y-2 max-[700px]:grid-cols-1">
        {t.fields
          .filter((f) => !f.retired && fills(p.role, f))
          .map((f) => (
            <OneField key={f.name} f={f} value={now(f)} onChange={(v) => put(f, v)} />
          ))}
      </div>
      <Wrong error={save.error} />
      <div className="flex justify-end gap-2">
        <Button onClick={p.onClose}>Leave it</Button>
        <Button type="submit" look="act" disabled={n === 0 || save.isPending}>
          Change {n} {n === 1 ? "value" : "values"}
        </Button>
      </div>
    </form>
  );
}

const blank = "(blank)";

function OneField({ f, value, onChange }: { f: Field; value: string; onChange: (v: string) => void }) {
  if (f.type === "yes_no" || (f.type === "choice" && f.choices))
    return (
      <div>
        <span className="mb-1 block text-[12px] font-medium text-ink-soft">{f.label}</span>
        <Choose
          label={f.label}
          value={value || blank}
          onChange={(v) => onChange(v === blank ? "" : v)}
          options={[
            ...(f.required ? [] : [{ value: blank, label: blank }]),
            ...(f.choices?.filter((c) => !c.closed || c.code === value).map((c) => ({ value: c.code, label: c.label })) ?? [
              { value: "true", label: "yes" },
              { value: "false", label: "no" },
            ]),
          ]}
        />
      </div>
    );
  if (f.type === "long_text")
    return (
      <div className="col-span-full">
        <Labelled label={f.label}>
          <textarea className={`${inputClass} h-24! py-1.5`} value={value} onChange={(e) => onChange(e.target.value)} />
        </Labelled>
      </div>
    );
  return (
    <Labelled label={f.label} hint={f.type === "reference" ? "An id, a key, or the whole name of one record." : undefined}>
      <input
        dir="auto"
        className={inputClass}
        type={f.type === "date" ? "date" : "text"}
        required={f.required}
        value={value}
        onChange={(e) => onChange(e.target.value)}
      />
    </Labelled>
  );
}

/** Notes something about a record. */
function AddNote({ workspace, type, id }: { workspace: string; type: string; id: string }) {
  const client = useQueryClient();
  const [text, setText] = useState("");
  const add = useMutation({
    mutationFn: () =>
      must(
        api.POST("/workspaces/{workspace}/records/{type}/{id}/notes", {
          params: { path: { workspace, type, id } },
          body: { text },
        }),
      ),
    onSuccess: async () => {
      setText("");
      await client.invalidateQueries({ queryKey: ["history", workspace, type, id] });
    },
  });
  return (
    <form
      className="flex gap-2 border-b border-line px-4 py-2.5"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate();
      }}
    >
      <input
        aria-label="A note about this record"
        placeholder="Note something"
        className={inputClass}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <Button type="submit" disabled={!text.trim() || add.isPending}>
        Note it
      </Button>
      <Wrong error={add.error} />
    </form>
  );
}

export function BeforeAfter({ before, after }: { before?: string | undefined; after?: string | undefined }) {
  return (
    <>
      {before ? <del className="text-ink-faint decoration-1">{before}</del> : <span className="text-ink-faint">blank</span>}
      <span aria-label="becomes" className="mx-1 text-ink-faint">
        →
      </span>
      <ins className="font-medium no-underline">{after || "blank"}</ins>
    </>
  );
}
