import { queryOptions, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ArrowDown, ArrowUp, FilePlus2 } from "lucide-react";
import { useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, must, type Bundle, type Import } from "../api/client";
import { types, who } from "../api/queries";
import {
  Button,
  Confirm,
  cx,
  Dialog,
  Empty,
  inputClass,
  Labelled,
  Loading,
  Panel,
  tdClass,
  thClass,
  Ticked,
  Tip,
  Wrong,
} from "../ui/parts";
import { count, outcomeWords, Tally, TotalsBar, verdictWords, written } from "../ui/verdict";
import { labelOf } from "../ui/rules";
import { sendToBundle } from "../ui/upload";
import { toast } from "../ui/toast";
import { UndoCounts } from "../ui/undocounts";
import { stationOf, when } from "./start";

const works = (b: Bundle | undefined) =>
  !!b && (["checking", "loading", "undoing"].includes(b.state) || b.imports.some((m) => m.import.busy));

const oneBundle = (workspace: string, id: number) =>
  queryOptions({
    queryKey: ["bundle", workspace, id],
    queryFn: () => must(api.GET("/workspaces/{workspace}/bundles/{bundle}", { params: { path: { workspace, bundle: id } } })),
    refetchInterval: ({ state }) => (works(state.data) ? 500 : 4_000),
  });

/** The acts on a bundle; each gives the bundle as it is then. */
function useBundleActs(workspace: string, id: number) {
  const client = useQueryClient();
  const params = { path: { workspace, bundle: id } };
  const options = { onSuccess: (b: Bundle) => client.setQueryData(oneBundle(workspace, id).queryKey, b) };
  return {
    check: useMutation({
      mutationFn: () => must(api.POST("/workspaces/{workspace}/bundles/{bundle}/check", { params })),
      ...options,
    }),
    load: useMutation({
      mutationFn: (go_on: boolean) =>
        must(api.POST("/workspaces/{workspace}/bundles/{bundle}/load", { params, body: { go_on } })),
      ...options,
    }),
    undo: useMutation({
      mutationFn: () => must(api.POST("/workspaces/{workspace}/bundles/{bundle}/undo", { params })),
      ...options,
    }),
    cancel: useMutation({
      mutationFn: () => must(api.POST("/workspaces/{workspace}/bundles/{bundle}/cancel", { params })),
      ...options,
    }),
    order: useMutation({
      mutationFn: (imports: number[]) =>
        must(api.PUT("/workspaces/{workspace}/bundles/{bundle}/order", { params, body: { imports } })),
      ...options,
    }),
    save: useMutation({
      mutationFn: (name: string) =>
        must(api.POST("/workspaces/{workspace}/bundles/{bundle}/routines", { params, body: { name } })),
      onSuccess: () => client.invalidateQueries({ queryKey: ["routines", workspace] }),
    }),
    add: useMutation({ mutationFn: (files: File[]) => sendToBundle(workspace, id, files), ...options }),
    discard: useMutation({ mutationFn: () => must(api.DELETE("/workspaces/{workspace}/bundles/{bundle}", { params })) }),
  };
}

/** What the rows of all imports would do, or have done. */
function sumOf(b: Bundle) {
  const loaded = b.imports.some((m) => Object.keys(m.import.outcomes).length > 0);
  const rows: Record<string, number> = {};
  const records: Record<string, number> = {};
  for (const { import: i } of b.imports) {
    for (const [w, n] of Object.entries(loaded ? i.outcomes : (i.totals?.verdicts ?? {}))) rows[w] = (rows[w] ?? 0) + n;
    for (const [w, n] of Object.entries(written(i.totals))) records[w] = (records[w] ?? 0) + n;
  }
  return { rows, records, words: loaded ? outcomeWords : verdictWords };
}

export function BundlePage() {
  const { workspace = "main", id = "" } = useParams();
  const number = Number(id);
  const page = useQuery(oneBundle(workspace, number));
  const b = page.data;
  if (page.error && !b) return <Wrong error={page.error} className="m-6" />;
  if (!b) return <Loading what="the bundle" />;
  return <Shown workspace={workspace} b={b} />;
}

function Shown({ workspace, b }: { workspace: string; b: Bundle }) {
  const acts = useBundleActs(workspace, b.id);
  const me = useQuery(who);
  const go = useNavigate();
  const file = useRef<HTMLInputElement>(null);
  const [asking, setAsking] = useState<"load" | "undo" | "discard" | "save">();
  const going = useQuery({
    queryKey: ["undo", workspace, "bundle", b.id, b.changed_at],
    enabled: asking === "undo",
    retry: false,
    queryFn: () =>
      must(
        api.POST("/workspaces/{workspace}/bundles/{bundle}/undo/plan", {
          params: { path: { workspace, bundle: b.id }, query: { limit: 1 } },
        }),
      ),
  });
  const [called, setCalled] = useState(b.name);
  const [goOn, setGoOn] = useState(false);
  const may = me.data?.role !== "viewer";
  const busy = works(b);
  const reading = b.imports.some((m) => m.import.busy === "read");
  const { rows, records, words } = sumOf(b);
  const held = (rows.hold ?? 0) + (rows.ask ?? 0);
  const open = b.state === "open" || b.state === "ready";
  const stale = b.imports.some((m) => m.stale || (m.import.into && !["ready", "loaded"].includes(m.import.state)));
  const failed =
    acts.check.error ??
    acts.load.error ??
    acts.undo.error ??
    acts.cancel.error ??
    acts.order.error ??
    acts.add.error ??
    acts.discard.error;
  const move = (at: number, by: number) => {
    const ids = b.imports.map((m) => m.import.id);
    const [one] = ids.splice(at, 1);
    if (one !== undefined) ids.splice(at + by, 0, one);
    acts.order.mutate(ids);
  };
  return (
    <div className="mx-auto max-w-[1280px] px-7 py-6 max-[900px]:px-3">
      <title>{`${b.name} · Uchi`}</title>
      <div className="mb-4 flex flex-wrap items-center gap-2">
        <div className="mr-auto min-w-0">
          <h1 className="truncate text-[26px]">{b.name}</h1>
          <p className="figures text-[12.5px] text-ink-soft">
            Bundle {b.id} · {b.imports.length} {b.imports.length === 1 ? "import" : "imports"} · {b.state}
            {b.of ? ` · ${b.at} of ${b.of} steps` : ""} · made {when(b.made_at)} by {b.made_by}
          </p>
        </div>
        {may && open && !busy && (
          <Button onClick={() => file.current?.click()}>
            <FilePlus2 size={14} aria-hidden /> Add files
          </Button>
        )}
        <input
          ref={file}
          type="file"
          multiple
          aria-label="Files for the bundle"
          className="sr-only"
          onChange={(e) => {
            if (e.target.files?.length) acts.add.mutate([...e.target.files]);
            e.target.value = "";
          }}
        />
        {may && open && !busy && (
          <Button look={b.state === "ready" && !stale ? "plain" : "act"} disabled={reading} onClick={() => acts.check.mutate()}>
            Check {b.state === "ready" ? "again" : "all"}
          </Button>
        )}
        {may && (b.state === "ready" || b.state === "paused") && !busy && (
          <Button look={stale && b.state === "ready" ? "plain" : "act"} onClick={() => setAsking("load")}>
            {b.state === "paused" ? "Go on" : "Load all"}
          </Button>
        )}
        {may && !busy && b.imports.some((m) => m.import.written && m.import.state !== "undone") && (
          <Button onClick={() => setAsking("undo")}>Take back</Button>
        )}
        {may && b.of > 0 && <Button onClick={() => acts.cancel.mutate()}>Cancel</Button>}
        {may && !busy && b.imports.some((m) => m.types.length > 0) && (
          <Button look="quiet" onClick={() => setAsking("save")}>
            Save as routines…
          </Button>
        )}
        {may && open && !busy && (
          <Button look="quiet" onClick={() => setAsking("discard")}>
            Discard
          </Button>
        )}
      </div>
      <Wrong error={failed} className="mb-3" />
      {b.trouble && (
        <div role="alert" className="mb-3 rounded-md border border-ask bg-ask-soft px-4 py-2.5">
          <b>{b.trouble.message}.</b> {b.trouble.mend}
        </div>
      )}
      {b.blocks && (
        <div role="alert" className="mb-3 rounded-md border border-hold bg-hold-soft px-4 py-2.5">
          <b>No order will do:</b> {b.blocks}. Let <code className="font-mono text-[12.5px]">{b.loosen}</code> be left blank, or
          load one of the two without it first.
        </div>
      )}
      {Object.keys(rows).length > 0 && (
        <div className="mb-4">
          <TotalsBar totals={rows} words={words} chosen="" onChoose={() => undefined} still />
        </div>
      )}
      <Panel
        title="In this order"
        aside={
          b.ordered && may && open ? (
            <Button look="quiet" onClick={() => acts.order.mutate([])}>
              Order by links
            </Button>
          ) : undefined
        }
      >
        {b.imports.length === 0 ? (
          <Empty title="Nothing in it yet">Add files, workbooks or a ZIP archive.</Empty>
        ) : (
          <table className="w-full">
            <thead>
              <tr className="border-b border-line">
                {["", "File", "Into", "Rows", "Result", "Why here"].map((h, n) => (
                  <th key={n} scope="col" className={cx(thClass, h === "Rows" && "text-right")}>
                    {h || <span className="sr-only">Place</span>}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {b.imports.map((m, n) => (
                <tr key={m.import.id} className="border-b border-line last:border-0">
                  <td className={cx(tdClass, "figures whitespace-nowrap text-ink-soft")}>
                    <span className="inline-block w-5 text-right">{n + 1}</span>
                    {may && open && !busy && b.imports.length > 1 && (
                      <span className="ml-1.5 inline-flex">
                        <Tip text="Earlier">
                          <Button
                            look="quiet"
                            className="h-6! w-6! justify-center px-0!"
                            disabled={n === 0}
                            aria-label={`Load ${m.import.name} earlier`}
                            onClick={() => move(n, -1)}
                          >
                            <ArrowUp size={13} />
                          </Button>
                        </Tip>
                        <Tip text="Later">
                          <Button
                            look="quiet"
                            className="h-6! w-6! justify-center px-0!"
                            disabled={n === b.imports.length - 1}
                            aria-label={`Load ${m.import.name} later`}
                            onClick={() => move(n, 1)}
                          >
                            <ArrowDown size={13} />
                          </Button>
                        </Tip>
                      </span>
                    )}
                  </td>
                  <td className={tdClass}>
                    <Link className="font-medium text-act" to={`/w/${workspace}/imports/${m.import.id}/${stationOf(m.import)}`}>
                      {m.import.name}
                    </Link>
                    {m.import.trouble && <div className="text-[12.5px] text-ask">{m.import.trouble.message}</div>}
                    {m.types.length > 0 && (m.import.unplaced?.length ?? 0) > 0 && (
                      <div className="max-w-56 text-[12px] text-ink-soft">{leftOut(m.import.unplaced ?? [])}</div>
                    )}
                  </td>
                  <td className={tdClass}>
                    {m.types.join(", ") ||
                      (m.import.busy ? (
                        ""
                      ) : (
                        <Link className="text-ask underline" to={`/w/${workspace}/imports/${m.import.id}/columns`}>
                          say it
                        </Link>
                      ))}
                    {m.routine && <div className="text-[12px] text-ink-soft">by “{m.routine}”</div>}
                  </td>
                  <td className={cx(tdClass, "figures text-right")}>{count(m.import.rows)}</td>
                  <td className={tdClass}>
                    <State i={m.import} stale={m.stale} />
                    {open && !m.stale && <Wrongs workspace={workspace} i={m.import} />}
                  </td>
                  <td className={cx(tdClass, "text-[12.5px] text-ink-soft")}>
                    {m.reasons.map((r) => (
                      <div key={r}>{r}</div>
                    ))}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Panel>
      {b.left_out.length > 0 && (
        <Panel className="mt-4" title="Left out">
          <ul className="px-4 py-2">
            {b.left_out.map((l, n) => (
              <li key={n} className="py-1">
                <b className="font-medium">{l.name}</b>: {l.trouble.message}.{" "}
                <span className="text-ink-soft">{l.trouble.mend}</span>
              </li>
            ))}
          </ul>
        </Panel>
      )}
      {(b.files ?? 0) > 0 && (
        <p className="mt-4 text-[12.5px] text-ink-soft">
          {b.files} {b.files === 1 ? "file" : "files"} came along that rows may name, to hang them on records.
        </p>
      )}
      {b.unfilled.length > 0 && b.imports.length > 0 && (
        <p className="mt-4 text-[12.5px] text-ink-soft">No file here becomes {b.unfilled.join(", ").toLowerCase()}.</p>
      )}
      <Dialog
        open={asking === "save"}
        onClose={() => setAsking(undefined)}
        title="Keep the set-up as routines"
        foot={
          <Button
            look="act"
            disabled={!called.trim() || acts.save.isPending}
            onClick={() =>
              acts.save.mutate(called, {
                onSuccess: ({ routines }) => {
                  setAsking(undefined);
                  toast(`${routines.length} routines are saved.`);
                },
              })
            }
          >
            Save them
          </Button>
        }
      >
        <Labelled label="Name" hint="One for each file. The next files of their kind are set up by them.">
          <input autoFocus className={inputClass} value={called} onChange={(e) => setCalled(e.target.value)} />
        </Labelled>
        <Wrong error={acts.save.error} className="mt-2" />
      </Dialog>
      <Confirm
        open={asking === "load"}
        title={b.state === "paused" ? "Go on with the load?" : "Load the bundle?"}
        yes={b.state === "paused" ? "Go on" : "Load all"}
        onNo={() => setAsking(undefined)}
        onYes={() => {
          setAsking(undefined);
          acts.load.mutate(goOn);
        }}
      >
        <p className="figures mb-3">
          {count(records.create ?? 0)} records are made and {count(records.update ?? 0)} changed
          {held > 0 && `; ${count(held)} rows are held back`}. The whole can be taken back.
        </p>
        <Ticked label="Go on with the next file when one gives way" on={goOn} onChange={setGoOn} />
      </Confirm>
      <Confirm
        open={asking === "undo"}
        title="Take the whole load back?"
        yes="Take it back"
        look="ask"
        onNo={() => setAsking(undefined)}
        onYes={() => {
          setAsking(undefined);
          acts.undo.mutate();
        }}
      >
        {going.data ? (
          <UndoCounts counts={going.data.counts} />
        ) : going.error ? (
          <Wrong error={going.error} />
        ) : (
          <Loading what="what would go" />
        )}
      </Confirm>
      <Confirm
        open={asking === "discard"}
        title="Discard the bundle?"
        yes="Discard it"
        look="ask"
        onNo={() => setAsking(undefined)}
        onYes={() => {
          setAsking(undefined);
          acts.discard.mutate(undefined, { onSuccess: () => void go(`/w/${workspace}/imports`) });
        }}
      >
        Its {count(b.imports.length)} imports go with it, and what was set up in them. No record is touched.
      </Confirm>
    </div>
  );
}

const columnsShown = 5;

const leftOut = (columns: string[]) =>
  `left out: ${columns.slice(0, columnsShown).join(", ")}` +
  (columns.length > columnsShown ? ` and ${count(columns.length - columnsShown)} more` : "");

const wrongsShown = 3;

/** Why most of the rows of an import that are held are held, and how many another makes before. */
function Wrongs({ workspace, i }: { workspace: string; i: Import }) {
  const known = useQuery(types(workspace));
  const list = (i.totals?.problems ?? []).filter((p) => !p.light || p.code === "made_before");
  const label = (said: string) => {
    const [field = "", draft = i.into] = said.split(".").reverse(); // of several records in a row, which
    return labelOf(
      known.data?.types.find((t) => t.name === draft),
      field,
    );
  };
  return (
    <ul className="text-[12.5px] text-ink-soft">
      {list.slice(0, wrongsShown).map((p) => (
        <li key={p.code + p.field + String(p.light)}>
          <span className="figures">{count(p.count)}</span> {p.field && <b className="font-medium">{label(p.field)}: </b>}
          {p.message}
        </li>
      ))}
      {list.length > wrongsShown && <li>and {list.length - wrongsShown} more</li>}
    </ul>
  );
}

function State({ i, stale }: { i: Import; stale: boolean }) {
  if (i.busy) {
    const doing = { read: "reading", check: "checking", load: "loading", undo: "taking back" }[i.busy];
    return (
      <span className="figures text-ink-soft" role="status">
        {doing} {i.done > 0 && count(i.done)}
        {i.of ? ` of ${count(i.of)}` : ""}
      </span>
    );
  }
  return (
    <>
      <Tally outcomes={i.outcomes} verdicts={i.totals?.verdicts} />
      {stale && <div className="text-[12.5px] text-ask">checked before what it points to</div>}
      {!stale && i.into && i.state === "open" && <div className="text-[12.5px] text-ink-faint">not checked</div>}
    </>
  );
}
