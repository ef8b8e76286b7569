import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Play, TestTube, Trash2 } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, must, type Feed, type FeedFile, type FeedSetUp, type FeedTold, type NoticeKind } from "../api/client";
import { who } from "../api/queries";
import { FeedForm } from "../ui/feedform";
import { Button, Confirm, cx, Empty, Loading, Panel, Table, tdClass, Ticked, Wrong } from "../ui/parts";
import { count } from "../ui/verdict";
import { when } from "./start";

/** Where files come from, in words. */
function placeWords(p: FeedSetUp["place"]): string {
  if (p.kind === "folder") return p.folder ?? "";
  if (p.kind === "sftp")
    return `sftp ${p.user}@${p.host}${p.port && p.port !== 22 ? `:${p.port}` : ""}/${(p.folder ?? "").replace(/^\//, "")}`;
  if (p.kind === "https") return p.url ?? "";
  return "sent by other programs";
}

const looks: Record<string, string> = {
  loaded: "text-create",
  waiting: "text-ask",
  refused: "text-ink-soft",
  passed_over: "text-ink-soft",
};

function FileState({ x }: { x: FeedFile }) {
  return <b className={cx("font-semibold", looks[x.state])}>{x.state.replace("_", " ")}</b>;
}

const feedKinds: { kind: NoticeKind; label: string }[] = [
  { kind: "waits", label: "A file waits for a person" },
  { kind: "failed", label: "It could not look" },
  { kind: "ended", label: "A file was loaded" },
];

/** What runs by itself. */
export function FeedsPage() {
  const { workspace = "main", name } = useParams();
  return name ? <OneFeed key={name} workspace={workspace} name={name} /> : <AllFeeds workspace={workspace} />;
}

function AllFeeds({ workspace }: { workspace: string }) {
  const me = useQuery(who);
  const go = useNavigate();
  const [making, setMaking] = useState(false);
  const list = useQuery({
    queryKey: ["feeds", workspace],
    queryFn: () => must(api.GET("/workspaces/{workspace}/feeds", { params: { path: { workspace } } })),
    refetchInterval: 5_000,
  });
  return (
    <div className="mx-auto max-w-[1180px] space-y-4 px-7 py-6 max-[900px]:px-3">
      <title>Feeds · Uchi</title>
      <div className="flex items-center gap-3">
        <h1 className="mr-auto text-[26px]">Feeds</h1>
        {me.data?.role === "administrator" && <Button onClick={() => setMaking(true)}>Add a feed…</Button>}
      </div>
      <Wrong error={list.error} />
      {list.isPending ? (
        <Loading what="the feeds" />
      ) : list.data?.feeds.length === 0 ? (
        <Empty title="Nothing runs by itself">
          A feed fetches files when their time has come, sets them up by a routine, and loads them within its bounds.
        </Empty>
      ) : (
        <Panel title="What runs by itself">
          <div className="overflow-x-auto">
            <Table head={["Feed", "From", "When", "Next", "Last file"]} wide>
              {list.data?.feeds.map((f) => (
                <tr key={f.name} className="border-b border-line last:border-0">
                  <td className={tdClass}>
                    <Link className="font-medium text-act" to={`/w/${workspace}/feeds/${encodeURIComponent(f.name)}`}>
                      {f.name}
                    </Link>
                  </td>
                  <td className={`${tdClass} max-w-[320px] truncate`}>{placeWords(f.set_up.place)}</td>
                  <td className={tdClass}>{f.words || "when sent"}</td>
                  <td className={tdClass}>{f.paused ? <b className="text-ask">paused</b> : f.next?.[0] && when(f.next[0])}</td>
                  <td className={tdClass}>
                    {f.files?.[0] && (
                      <>
                        {f.files[0].name} <FileState x={f.files[0]} />
                      </>
                    )}
                  </td>
                </tr>
              ))}
            </Table>
          </div>
        </Panel>
      )}
      {making && (
        <FeedForm
          workspace={workspace}
          onClose={() => setMaking(false)}
          onSaved={(f) => void go(`/w/${workspace}/feeds/${encodeURIComponent(f.name)}`)}
        />
      )}
    </div>
  );
}

function OneFeed({ workspace, name }: { workspace: string; name: string }) {
  const client = useQueryClient();
  const go = useNavigate();
  const me = useQuery(who);
  const [changing, setChanging] = useState(false);
  const [removing, setRemoving] = useState(false);
  const path = { workspace, feed: name };
  const key = ["feed", workspace, name];
  const feed = useQuery({
    queryKey: key,
    queryFn: () => must(api.GET("/workspaces/{workspace}/feeds/{feed}", { params: { path } })),
    refetchInterval: 2_000,
  });
  const put = (f: Feed) => client.setQueryData(key, f);
  const run = useMutation({
    mutationFn: (tried: boolean) =>
      must(api.POST("/workspaces/{workspace}/feeds/{feed}/run", { params: { path }, body: { try: tried } })),
    onSuccess: put,
  });
  const pause = useMutation({
    mutationFn: (paused: boolean) =>
      must(api.POST("/workspaces/{workspace}/feeds/{feed}/pause", { params: { path }, body: { paused } })),
    onSuccess: put,
  });
  const tell = useMutation({
    mutationFn: (body: FeedTold) => must(api.PUT("/workspaces/{workspace}/feeds/{feed}/told", { params: { path }, body })),
    onSuccess: put,
  });
  const trust = useMutation({
    mutationFn: () => must(api.PUT("/workspaces/{workspace}/feeds/{feed}", { params: { path }, body: { trust: true } })),
    onSuccess: put,
  });
  const remove = useMutation({
    mutationFn: () => must(api.DELETE("/workspaces/{workspace}/feeds/{feed}", { params: { path } })),
    onSuccess: () => go(`/w/${workspace}/feeds`),
  });
  if (feed.error && !feed.data) return <Wrong error={feed.error} className="m-6" />;
  if (!feed.data) return <Loading what="the feed" />;
  const f = feed.data;
  const s = f.set_up;
  const told = f.told?.kinds ?? [];
  const operator = me.data && me.data.role !== "viewer";
  const administrator = me.data?.role === "administrator";
  const waiting = f.files?.find((x) => x.state === "waiting");
  const rest = f.files?.filter((x) => x !== waiting) ?? [];
  return (
    <div className="mx-auto max-w-[1180px] space-y-5 px-7 py-6 max-[900px]:px-3">
      <title>{`${f.name} · Uchi`}</title>
      <div>
        <div className="mb-1 text-[12.5px] text-ink-soft">
          <Link className="text-act underline" to={`/w/${workspace}/feeds`}>
            Feeds
          </Link>{" "}
          / {f.name}
        </div>
        <div className="flex flex-wrap items-center gap-2">
          <h1 className="mr-auto text-[26px]">{f.name}</h1>
          {operator && s.place.kind !== "sent" && (
            <>
              <Button look="act" disabled={f.looks || run.isPending || waiting !== undefined} onClick={() => run.mutate(false)}>
                <Play size={14} aria-hidden /> {f.looks ? "It looks…" : "Look now"}
              </Button>
              <Button disabled={f.looks || run.isPending || waiting !== undefined} onClick={() => run.mutate(true)}>
                <TestTube size={14} aria-hidden /> Try the last file
              </Button>
            </>
          )}
          {operator && <Button onClick={() => pause.mutate(!f.paused)}>{f.paused ? "Go on" : "Pause"}</Button>}
          {administrator && (
            <>
              <Button onClick={() => setChanging(true)}>Change…</Button>
              <Button look="quiet" aria-label="Remove the feed" onClick={() => setRemoving(true)}>
                <Trash2 size={14} aria-hidden />
              </Button>
            </>
          )}
        </div>
        <p className="text-[12.5px] text-ink-soft">
          {f.paused ? <b className="text-ask">paused</b> : f.words || "when a file is sent"} · from {placeWords(s.place)} · by the
          routine{" "}
          <Link className="text-act underline" to={`/w/${workspace}/routines/${encodeURIComponent(s.routine)}`}>
            {s.routine}
          </Link>{" "}
          · acts for {f.owner}
        </p>
      </div>
      <Wrong error={run.error ?? pause.error ?? trust.error ?? remove.error} />
      {waiting && (
        <section aria-label="A file waits" className="rounded-lg border border-ask/40 bg-card p-4">
          <h2 className="text-[16px]">{waiting.name} waits for a person</h2>
          <ul className="mt-1.5 list-disc pl-5">
            {waiting.reasons.map((b) => (
              <li key={b.bound + b.says}>{b.says}</li>
            ))}
          </ul>
          <p className="mt-2.5 flex flex-wrap items-center gap-3">
            {waiting.import && (
              <Link
                className="rounded-md bg-act px-3 py-1.5 font-medium text-act-ink"
                to={`/w/${workspace}/imports/${waiting.import}/check`}
              >
                See what it would do
              </Link>
            )}
            <span className="text-[12.5px] text-ink-soft">
              Mend and load it there, or discard it. No further file is taken before that.
            </span>
          </p>
        </section>
      )}
      <div className="grid grid-cols-[1fr_340px] items-start gap-5 max-[1000px]:grid-cols-1">
        <div className="space-y-5">
          <Panel title="Files">
            {rest.length === 0 ? (
              <p className="px-4 py-3 text-ink-soft">{waiting ? "It is the only one so far." : "It has taken no file yet."}</p>
            ) : (
              <Table head={["File", "Taken", "State", "Rows"]}>
                {rest.map((x) => (
                  <tr key={`${x.name} ${x.taken_at}`} className="border-b border-line align-top last:border-0">
                    <td className={`${tdClass} break-all whitespace-normal`}>
                      {x.import ? (
                        <Link className="text-act" to={`/w/${workspace}/imports/${x.import}/result`}>
                          {x.name}
                        </Link>
                      ) : (
                        x.name
                      )}
                      {x.reasons.map((b) => (
                        <div key={b.bound + b.says} className="text-[12.5px] text-ink-soft">
                          {b.says}
                        </div>
                      ))}
                    </td>
                    <td className={tdClass}>{when(x.taken_at)}</td>
                    <td className={tdClass}>
                      <FileState x={x} />
                    </td>
                    <td className={`${tdClass} figures`}>{x.rows ? count(x.rows) : ""}</td>
                  </tr>
                ))}
              </Table>
            )}
          </Panel>
          <Panel title="What I am told of it">
            <div className="flex flex-wrap items-center gap-x-5 gap-y-1.5 px-4 py-3">
              {feedKinds.map((k) => (
                <Ticked
                  key={k.kind}
                  label={k.label}
                  on={told.includes(k.kind)}
                  disabled={tell.isPending}
                  onChange={(on) =>
                    tell.mutate({ usual: false, kinds: on ? [...told, k.kind] : told.filter((x) => x !== k.kind) })
                  }
                />
              ))}
              {f.told?.usual ? (
                <span className="text-[12.5px] text-ink-soft">As usual: of the feeds that act for me.</span>
              ) : (
                <Button look="quiet" disabled={tell.isPending} onClick={() => tell.mutate({ usual: true })}>
                  As usual
                </Button>
              )}
            </div>
          </Panel>
          <Panel title="Looks">
            {f.runs?.length ? (
              <ol>
                {f.runs.map((r) => (
                  <li key={r.began_at} className="flex gap-3 border-t border-line px-4 py-2 first:border-0">
                    <span className="w-28 shrink-0 text-ink-soft">{when(r.began_at)}</span>
                    <span className="min-w-0">
                      {r.trouble ? (
                        <span className="text-hold">
                          {r.trouble.message}. {r.trouble.mend}
                        </span>
                      ) : (
                        r.said || "it looks"
                      )}
                      <span className="text-[12.5px] text-ink-faint">
                        {" "}
                        · {r.person ? `asked by ${r.person}` : r.why === "again" ? "a file had ended" : "its time had come"}
                        {r.missed ? ` · made up for ${count(r.missed)} that were missed` : ""}
                      </span>
                      {r.trouble?.code === "host_key_changed" && administrator && (
                        <Button className="mt-1 block" onClick={() => trust.mutate()}>
                          Let the new key be known
                        </Button>
                      )}
                    </span>
                  </li>
                ))}
              </ol>
            ) : (
              <p className="px-4 py-3 text-ink-soft">It has not looked yet.</p>
            )}
          </Panel>
        </div>
        <div className="space-y-5">
          <Panel title="Next">
            <ol className="px-4 py-2">
              {(f.next ?? []).map((t) => (
                <li key={t} className="py-0.5">
                  {when(t)}
                </li>
              ))}
              {!f.next?.length && <li className="py-0.5 text-ink-soft">When a file is sent.</li>}
            </ol>
          </Panel>
          <Panel title="Bounds">
            <Bounds s={s} />
          </Panel>
          <Panel title="Taking files">
            <Pairs
              list={[
                ["Names", s.files || "any"],
                ...(s.then ?? []).map((x) => ["Then", `${x.files} by ${x.routine}`] as [string, string]),
                ...(s.set ? [["Set", "taken when one of each is there"] as [string, string]] : []),
                ["Which", s.newest ? "only the newest" : "all, oldest first"],
                ["Whole when", s.mark ? `${s.mark} is there` : `not grown for ${s.still || 5} s`],
                ["Afterwards", s.after === "move" ? `moved into ${s.move_to || "loaded"}` : "left where it is"],
                ["Password or key", f.has_secret ? "kept encrypted" : "none"],
                ...(f.host_key ? [["Host key", f.host_key] as [string, string]] : []),
              ]}
            />
          </Panel>
        </div>
      </div>
      {changing && (
        <FeedForm
          workspace={workspace}
          feed={f}
          onClose={() => setChanging(false)}
          onSaved={(now) => {
            put(now);
            setChanging(false);
          }}
        />
      )}
      <Confirm
        open={removing}
        title={`Remove the feed ${f.name}?`}
        yes="Remove it"
        look="ask"
        onYes={() => remove.mutate()}
        onNo={() => setRemoving(false)}
      >
        It looks no more, and forgets which files it has taken. Its imports stay.
      </Confirm>
    </div>
  );
}

function Bounds({ s }: { s: FeedSetUp }) {
  const b = s.bounds ?? {};
  const most = (v: string | undefined) => (v ? `at most ${v}` : "any");
  return (
    <Pairs
      list={[
        ["Held or asking", most(b.held)],
        ["New", most(b.new)],
        ["Changed", most(b.changed)],
        ["Deleted", most(b.deleted)],
        ["Of all records", most(b.touched)],
        ["Rows, since last", b.size ? `${b.size} more or fewer` : "any"],
        ["Missing columns", b.without_some ? "allowed" : "none"],
        ["New words", b.any_values ? "allowed" : "none"],
        ["Other columns", b.other_columns ? "allowed" : "none"],
      ]}
    />
  );
}

function Pairs({ list }: { list: [string, string][] }) {
  return (
    <dl className="grid grid-cols-[120px_1fr] gap-y-1 px-4 py-2.5">
      {list.map(([label, text]) => (
        <div key={label} className="contents">
          <dt className="text-ink-soft">{label}</dt>
          <dd className="break-all">{text}</dd>
        </div>
      ))}
    </dl>
  );
}
