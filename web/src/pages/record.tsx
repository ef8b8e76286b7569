import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { api, must } from "../api/client";
import { types } from "../api/queries";
import { Loading, Panel, Wrong } from "../ui/parts";
import { count } from "../ui/verdict";
import { Value } from "./records";
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
        <Panel title="Fields">
          <dl className="grid grid-cols-[180px_1fr] gap-y-0 px-4 py-2">
            {t.fields.map((f) => (
              <div key={f.name} className="contents">
                <dt className="border-b border-line py-1.5 text-ink-soft">{f.label}</dt>
                <dd className="border-b border-line py-1.5 break-words whitespace-pre-wrap">
                  {r.values[f.name] ? <Value workspace={workspace} r={r} f={f} /> : <span className="text-ink-faint">–</span>}
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
            {history.error ? <Wrong error={history.error} className="m-3" /> : null}
            <ol>
              {history.data?.events.map((e) => (
                <li key={e.version} className="border-t border-line px-4 py-2.5 first:border-0">
                  <div className="flex justify-between gap-2">
                    <span>
                      <b className="font-semibold">{e.kind === "create" ? "Made" : "Changed"}</b> by {e.person}
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
