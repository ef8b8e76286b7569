import { useInfiniteQuery, useMutation, useQuery } from "@tanstack/react-query";
import { ShieldCheck } from "lucide-react";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, must, type LogEntry } from "../api/client";
import { people } from "../api/queries";
import { Button, Choose, Empty, inputClass, Loading, Panel, Table, tdClass, Wrong } from "../ui/parts";
import { BeforeAfter } from "./record";
import { count } from "../ui/verdict";
import { whenExactly } from "./start";

const anybody = "everybody";
const itself = "the service";

/** Who did what, newest first. */
export function LogPage() {
  const [at, setAt] = useSearchParams();
  const [text, setText] = useState(at.get("text") ?? "");
  const filter = Object.fromEntries([...at.entries()].filter(([, v]) => v));
  const list = useInfiniteQuery({
    queryKey: ["log", at.toString()],
    initialPageParam: "",
    queryFn: ({ pageParam }) =>
      must(api.GET("/log", { params: { query: { ...filter, limit: 100, ...(pageParam ? { cursor: pageParam } : {}) } } })),
    getNextPageParam: (last) => last.next,
  });
  const all = useQuery(people);
  const put = (name: string, value: string) => {
    const next = new URLSearchParams(at);
    if (value) next.set(name, value);
    else next.delete(name);
    setAt(next, { replace: true });
  };
  const entries = list.data?.pages.flatMap((p) => p.entries) ?? [];
  const who = at.get("person") ?? "";
  return (
    <div className="mx-auto max-w-[1180px] space-y-4 px-7 py-6 max-[900px]:px-3">
      <title>Log · Uchi</title>
      <div className="flex flex-wrap items-center gap-2">
        <h1 className="mr-auto text-[26px]">Log</h1>
        <div className="w-60">
          <Choose
            label="Who"
            value={who === "-" ? itself : who || anybody}
            onChange={(v) => put("person", v === anybody ? "" : v === itself ? "-" : v)}
            options={[anybody, itself, ...(all.data?.people.map((p) => p.email) ?? [])].map((v) => ({ value: v, label: v }))}
          />
        </div>
        <form
          className="w-60"
          onSubmit={(e) => {
            e.preventDefault();
            put("text", text.trim());
          }}
        >
          <input
            data-search
            aria-label="Search the log"
            placeholder="What was done, or to what"
            className={inputClass}
            value={text}
            onChange={(e) => setText(e.target.value)}
            onBlur={() => put("text", text.trim())}
          />
        </form>
        <a
          className="rounded-md border border-line-strong bg-card px-3 py-1.5 text-[13px] font-medium"
          href={`/api/v1/log.csv?${at.toString()}`}
          download
        >
          Export
        </a>
        <Proof />
      </div>
      <Wrong error={list.error} />
      {list.isPending ? (
        <Loading what="the log" />
      ) : entries.length === 0 ? (
        <Empty title="Nothing was logged that fits">Ask for less, or for another time.</Empty>
      ) : (
        <Panel title="Newest first">
          <div className="overflow-x-auto">
            <Table head={["When", "Who", "Did", "What", "Workspace", "From"]} wide>
              {entries.map((e) => (
                <Line key={e.id} e={e} />
              ))}
            </Table>
          </div>
          {list.hasNextPage && (
            <div className="p-3">
              <Button onClick={() => void list.fetchNextPage()} disabled={list.isFetchingNextPage}>
                Show older ones
              </Button>
            </div>
          )}
        </Panel>
      )}
    </div>
  );
}

const shownChanges = 6;

function Line({ e }: { e: LogEntry }) {
  const changed = e.changed ?? [];
  return (
    <tr className="border-b border-line align-top last:border-0">
      <td className={`${tdClass} figures whitespace-nowrap text-ink-soft`}>{whenExactly(e.at)}</td>
      <td className={tdClass}>
        {e.person || <span className="text-ink-soft">the service</span>}
        {e.token && <div className="text-[12px] text-ink-faint">token {e.token}</div>}
      </td>
      <td className={tdClass}>{e.action}</td>
      <td className={`${tdClass} max-w-[340px] break-words whitespace-normal`}>
        <Subject e={e} />
        {changed.slice(0, shownChanges).map((c) => (
          <div key={c.path} className="text-[12.5px]">
            <span className="text-ink-soft">{c.path}: </span>
            <BeforeAfter before={short(c.was)} after={short(c.now)} />
          </div>
        ))}
        {changed.length > shownChanges && (
          <div className="text-[12.5px] text-ink-soft">and {count(changed.length - shownChanges)} more</div>
        )}
      </td>
      <td className={tdClass}>{e.workspace}</td>
      <td className={`${tdClass} figures text-ink-soft`}>{e.address}</td>
    </tr>
  );
}

function short(s: string | undefined): string | undefined {
  return s && s.length > 80 ? `${s.slice(0, 79)}…` : s;
}

/** What was acted on, with a link where it has a page. */
function Subject({ e }: { e: LogEntry }) {
  const [, kind, id] = /^(import|bundle) (\d+)$/.exec(e.subject) ?? [];
  if (!kind || !e.workspace) return <>{e.subject}</>;
  return (
    <Link className="text-act" to={`/w/${e.workspace}/${kind}s/${id}`}>
      {e.subject}
    </Link>
  );
}

/** Whether the log is whole. */
function Proof() {
  const look = useMutation({ mutationFn: () => must(api.GET("/log/proof")) });
  return (
    <>
      <Button onClick={() => look.mutate()} disabled={look.isPending}>
        <ShieldCheck size={14} aria-hidden /> Prove it
      </Button>
      {look.data && (
        <p role="status" className="w-full text-[12.5px] text-ink-soft">
          {look.data.whole ? (
            <>
              Nothing was changed or taken away: {count(look.data.entries)} entries. The last seal, to be kept elsewhere:{" "}
              <code className="font-mono break-all">{look.data.last}</code>
            </>
          ) : (
            <span className="text-hold">
              It is not whole at seal {look.data.broken} (entry {look.data.entry}): {look.data.why}. Compare it with a backup.
            </span>
          )}
        </p>
      )}
      <Wrong error={look.error} className="w-full" />
    </>
  );
}
