import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import type { Import } from "../api/client";
import { bundles, start, types, who } from "../api/queries";
import { Empty, Loading, Panel, Wrong } from "../ui/parts";
import { Upload } from "../ui/upload";
import { count, Tally } from "../ui/verdict";

export function StartPage() {
  const { workspace = "main" } = useParams();
  const page = useQuery(start(workspace));
  const kinds = useQuery(types(workspace));
  const me = useQuery(who);
  if (!page.data) return page.error ? <Wrong error={page.error} className="m-6" /> : <Loading what="the start page" />;
  const { waiting, recent, records } = page.data;
  return (
    <div className="mx-auto max-w-[1180px] px-7 py-6 max-[900px]:px-3">
      <title>Start · Uchi</title>
      <h1 className="mb-4 text-[26px]">
        {waiting.length ? `${waiting.length} import${waiting.length > 1 ? "s wait" : " waits"} for you` : "Nothing waits for you"}
      </h1>
      {me.data?.role !== "viewer" && <Upload workspace={workspace} />}
      <Bundles workspace={workspace} />
      <div className="mt-5 grid grid-cols-[minmax(0,1fr)_300px] items-start gap-5 max-[760px]:grid-cols-1">
        <div className="space-y-5">
          <Panel title="Waiting">
            {waiting.length ? (
              <ul>
                {waiting.map((i) => (
                  <Line key={i.id} workspace={workspace} i={i} />
                ))}
              </ul>
            ) : (
              <Empty title="All done">Imports that are open, checked or paused are shown here.</Empty>
            )}
          </Panel>
          <Panel title="Lately loaded">
            {recent.length ? (
              <ul>
                {recent.map((i) => (
                  <Line key={i.id} workspace={workspace} i={i} />
                ))}
              </ul>
            ) : (
              <Empty title="No load yet">The first file is above.</Empty>
            )}
          </Panel>
        </div>
        <Panel title="Records">
          <ul className="py-1.5">
            {kinds.data?.types.map((t) => (
              <li key={t.name}>
                <Link to={`/w/${workspace}/records/${t.name}`} className="flex justify-between px-4 py-1.5 hover:bg-act-soft">
                  <span>{t.plural}</span>
                  <span className="figures text-ink-soft">{count(records[t.name] ?? 0)}</span>
                </Link>
              </li>
            ))}
          </ul>
        </Panel>
      </div>
    </div>
  );
}

/** How many bundles a list of the latest shows. */
const bundlesShown = 5;

/** The latest bundles, each with its state. */
export function Bundles({ workspace }: { workspace: string }) {
  const list = useQuery(bundles(workspace)).data?.bundles ?? [];
  if (list.length === 0) return null;
  return (
    <section aria-labelledby="bundles" className="mt-4 flex flex-wrap items-baseline gap-x-4 gap-y-1 text-[13px]">
      <h2 id="bundles" className="text-[13px] font-medium">
        Bundles
      </h2>
      {list.slice(0, bundlesShown).map((b) => (
        <span key={b.id}>
          <Link className="font-medium text-act" to={`/w/${workspace}/bundles/${b.id}`}>
            {b.name}
          </Link>{" "}
          <span className="text-ink-soft">
            {b.state}, {when(b.made_at)}
          </span>
        </span>
      ))}
      {list.length > bundlesShown && <span className="text-ink-faint">and {list.length - bundlesShown} older</span>}
    </section>
  );
}

/** Where a person goes on with an import: the station that fits its state. */
export function stationOf(i: Import): string {
  if (i.trouble || i.busy === "read") return "source";
  switch (i.state) {
    case "open":
      return "columns";
    case "checking":
    case "ready":
      return "check";
    case "loading":
    case "paused":
      return "load";
  }
  return "result";
}

const says: Partial<Record<Import["state"], string>> = {
  open: "place its columns, then check",
  ready: "checked; look at it and load",
  paused: "paused in the middle of its load",
  checking: "is being checked",
  loading: "is being loaded",
};

function Line({ workspace, i }: { workspace: string; i: Import }) {
  return (
    <li className="border-t border-line first:border-t-0">
      <Link to={`/w/${workspace}/imports/${i.id}/${stationOf(i)}`} className="block px-4 py-2.5 hover:bg-act-soft">
        <div className="flex items-baseline gap-2">
          <span className="font-medium">{i.name}</span>
          <span className="text-[12.5px] text-ink-soft">{i.trouble ? "could not be read" : (says[i.state] ?? i.state)}</span>
          <span className="ml-auto text-[12px] whitespace-nowrap text-ink-faint">{when(i.changed_at)}</span>
        </div>
        <div className="mt-0.5 text-[12.5px] text-ink-soft">
          {i.trouble ? (
            i.trouble.message
          ) : i.totals || Object.keys(i.outcomes).length ? (
            <Tally outcomes={i.outcomes} verdicts={i.totals?.verdicts} />
          ) : (
            `${count(i.rows)} rows`
          )}
        </div>
      </Link>
    </li>
  );
}

/** A moment to the second, with its year. */
export function whenExactly(at: string): string {
  return new Date(at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "medium" });
}

export function when(at: string): string {
  return new Date(at).toLocaleString("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });
}
