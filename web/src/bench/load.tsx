import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, must, type Import, type LoadRequest } from "../api/client";
import { act, stampOf, useImportActs } from "../api/queries";
import { BeforeAfter } from "../pages/record";
import { ApprovalBox } from "../ui/approval";
import { RehearseFirst } from "./more";
import { Button, Choose, Confirm, Dialog, inputClass, Labelled, Wrong } from "../ui/parts";
import { Pace } from "../ui/progress";
import { count, DraftTotals, Word, written } from "../ui/verdict";
import { labelOf, type Kind } from "./mapping";
import { Section, type PanelProps } from "./panel";

/** About how many rows a load writes in a second, to say beforehand how long it may take. */
const rowsPerSecond = 15_000;

function loadWords(i: Import): string {
  const v = written(i.totals);
  const parts = (["create", "update", "delete"] as const).filter((w) => v[w]).map((w) => `${w} ${count(v[w] ?? 0)}`);
  const words = parts.join(" · ");
  return words ? words.charAt(0).toUpperCase() + words.slice(1) : "Note the outcomes";
}

export function LoadPanel({ workspace, i, kinds, onStation }: PanelProps) {
  const acts = useImportActs(workspace, i.id);
  const [asking, setAsking] = useState(false);
  const [request, setRequest] = useState<LoadRequest>(i.routine?.load ?? {});
  const some = request.rows !== undefined || request.first !== undefined || Boolean(request.each);
  const unsaid = request.rows?.trim() === ""; // which rows is still to be said
  const chosen = useQuery({
    queryKey: ["chosen rows", workspace, i.id, stampOf(i), request],
    enabled: i.state === "ready" && some && !unsaid,
    retry: false,
    placeholderData: (was) => was,
    queryFn: () =>
      must(
        api.POST("/workspaces/{workspace}/imports/{import}/load/rows", {
          params: { path: { workspace, import: i.id } },
          body: request,
        }),
      ),
  });
  const [stopping, setStopping] = useState(false);
  const path = { workspace, import: i.id };
  const overwrites = useQuery({
    queryKey: ["overwrites", workspace, i.id, stampOf(i)],
    enabled: i.state === "ready",
    queryFn: () =>
      must(api.GET("/workspaces/{workspace}/imports/{import}/overwrites", { params: { path, query: { limit: 8 } } })),
  });
  const many = (chosen.data?.rows ?? 0) + (chosen.data?.needed ?? 0);
  const v = i.totals?.verdicts ?? {};
  const label = (name: string) => labelOf(kinds, name);
  const error = acts.load.error ?? acts.pause.error ?? acts.resume.error ?? acts.stop.error;
  return (
    <>
      <ApprovalBox workspace={workspace} i={i} />
      {i.state === "ready" && (
        <div className="border-b border-line px-4 py-3">
          <Button
            look="act"
            disabled={!act(i, "load").can || unsaid || (some && (!chosen.data?.rows || chosen.isFetching))}
            onClick={() => setAsking(true)}
          >
            {unsaid ? "Load these rows first" : some ? `Load ${rowsOf(many)} first` : loadWords(i)}
          </Button>
          <Choices i={i} request={request} onChange={setRequest} />
          {some && !unsaid && chosen.data && (
            <p role="status" className="mt-2 text-[12.5px]">
              {rowsOf(chosen.data.rows)}
              {chosen.data.needed > 0 && `, and ${count(chosen.data.needed)} that they need`}:{" "}
              {Object.entries(chosen.data.verdicts)
                .map(([w, n]) => `${count(n)} ${w}`)
                .join(", ")}
              . The rest stays checked.
            </p>
          )}
          <Wrong error={chosen.error} className="mt-2" />
          {!i.written && !i.rehearses && <RehearseFirst workspace={workspace} i={i} />}
          {!act(i, "load").can && <p className="mt-2 text-ask">{act(i, "load").why}</p>}
        </div>
      )}
      {(i.state === "loading" || i.state === "paused") && (
        <div className="space-y-2 border-b border-line px-4 py-3">
          <Pace done={i.done} of={i.of || i.rows} running={i.state === "loading"} />
          <div className="flex gap-2">
            {i.state === "loading" ? (
              <Button onClick={() => acts.pause.mutate()}>Pause</Button>
            ) : (
              <Button look="act" onClick={() => acts.resume.mutate()}>
                Go on
              </Button>
            )}
            <Button look="ask" onClick={() => setStopping(true)}>
              Stop here
            </Button>
            <Confirm
              open={stopping}
              title="Stop the load here?"
              yes={`Stop after ${count(i.done)} rows`}
              look="ask"
              onYes={() => {
                setStopping(false);
                acts.stop.mutate();
              }}
              onNo={() => setStopping(false)}
            >
              {count(i.done)} of {count(i.of || i.rows)} rows are loaded and stay so; the other {count((i.of || i.rows) - i.done)}{" "}
              are not. They can be checked and loaded later.
            </Confirm>
          </div>
        </div>
      )}
      {["loaded", "stopped", "undone", "closed"].includes(i.state) && (
        <div className="border-b border-line px-4 py-3">
          <p className="mb-2">
            {i.state === "closed"
              ? "The import is closed; its records stay."
              : i.state === "undone"
                ? "What was loaded is taken back. Check again to load it anew."
                : `The load is ${i.state === "loaded" ? "done" : "stopped"}.`}
          </p>
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
      {i.trouble?.code && i.state !== "loading" && (
        <Wrong error={new Error(`${i.trouble.message}. ${i.trouble.mend ?? ""}`)} className="m-3" />
      )}
      {i.state === "ready" && i.written && (
        <p className="border-b border-line px-4 py-2 text-[12.5px]">
          Some rows are loaded already.{" "}
          <button type="button" className="text-act" onClick={() => onStation("result")}>
            Look at them, or take them back
          </button>
        </p>
      )}
      {i.totals && (
        <Section title="What it does">
          <ul className="space-y-1">
            {(["create", "update", "delete", "same", "skip", "ask", "hold"] as const)
              .filter((w) => v[w])
              .map((w) => (
                <li key={w} className="flex gap-2">
                  <span className="figures w-12 shrink-0 text-right font-semibold">{count(v[w] ?? 0)}</span>
                  <Word word={w} />
                  <span className="text-ink-soft">
                    {meaning[w]}
                    {w === "hold" && i.totals?.partly ? `; of ${count(i.totals.partly)} other records are written` : ""}
                  </span>
                </li>
              ))}
          </ul>
          {kinds.length > 1 && <DraftTotals totals={i.totals} />}
          {removed(i, kinds).map((x) => (
            <p key={x} className="mt-1 text-hold">
              {x}
            </p>
          ))}
        </Section>
      )}
      {overwrites.data && overwrites.data.rows.length > 0 && (
        <Section title="Values that are replaced, what looks worst first">
          {overwrites.data.rows.map((r) => (
            <div key={r.row} className="mb-1.5 text-[12.5px]">
              <span className="text-ink-faint">
                row {r.row}
                {r.record && `, ${r.record}`}
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
          <a className="text-[12.5px] text-act" href={`/api/v1/workspaces/${workspace}/imports/${i.id}/overwrites.csv`} download>
            All of them as a sheet
          </a>
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
                acts.load.mutate(request, { onSuccess: () => setRequest(i.routine?.load ?? {}) });
              }}
            >
              {some ? `Load ${rowsOf(many)}` : loadWords(i)}
            </Button>
          </>
        }
      >
        {some && <p className="mb-2">Only the chosen rows are loaded now; of all rows, this is what the check says:</p>}
        {request.whole && (
          <p className="mb-2 rounded bg-act-soft px-2 py-1">
            All rows or none: while it runs, about {Math.max(1, Math.round(i.rows / rowsPerSecond))} s, others who load into{" "}
            {kinds.map((k) => k.t.plural.toLowerCase()).join(", ")} wait.
          </p>
        )}
        <p>
          {(i.totals?.drafts ?? []).map((d, n) => (
            <span key={d.name}>
              {n > 0 && "; "}
              {count(d.verdicts["create"] ?? 0)} {kinds[n]?.t.plural.toLowerCase()} are made and{" "}
              {count(d.verdicts["update"] ?? 0)} are changed
            </span>
          ))}
          {i.totals && i.totals.changes.length > 0 && ` in ${count(i.totals.changes.reduce((n, c) => n + c.count, 0))} values`}.{" "}
          {(v["delete"] ?? 0) > 0 && `${count(v["delete"] ?? 0)} are deleted; nothing points to them.`}{" "}
          {removed(i, kinds).join(" ")}{" "}
          {(v["hold"] ?? 0) + (v["ask"] ?? 0) > 0 &&
            `${count((v["hold"] ?? 0) + (v["ask"] ?? 0))} rows are held back or asked about and stay as they are` +
              (i.totals?.partly ? `, ${count(i.totals.partly)} of them but for other records that they make.` : ".")}
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

/** What the load deletes because the source does not name it any more. */
function removed(i: Import, kinds: Kind[]): string[] {
  return (i.totals?.drafts ?? []).flatMap((d, n) =>
    d.gone?.remove && d.gone.records > 0
      ? [
          `${kinds[n]?.t.plural ?? "Records"} that are not in the file any more: ${count(d.gone.records)} deleted, once all rows are loaded.`,
        ]
      : [],
  );
}

const meaning: Record<string, string> = {
  create: "new records",
  update: "records get new values",
  same: "say nothing new",
  delete: "records are deleted",
  skip: "are left out",
  ask: "wait for an answer",
  hold: "are held back; they have problems",
};

function rowsOf(n: number): string {
  return `${count(n)} ${n === 1 ? "row" : "rows"}`;
}

const whiches = [
  { value: "all", label: "All rows" },
  { value: "first", label: "The first so many" },
  { value: "rows", label: "These rows" },
  { value: "each", label: "One of each kind" },
] as const;

const policies = [
  { value: "good", label: "Load what is good; hold the rest" },
  { value: "whole", label: "All rows, or none" },
  { value: "pause", label: "Pause when too many are held" },
  { value: "stop", label: "Stop when too many fail" },
] as const;

/** Which rows are loaded first, and when the load gives way. */
function Choices({ i, request, onChange }: { i: Import; request: LoadRequest; onChange: (r: LoadRequest) => void }) {
  const [open, setOpen] = useState(false);
  const [rows, setRows] = useState("2-11");
  const [first, setFirst] = useState("10");
  const [bound, setBound] = useState("100");
  if (!open)
    return (
      <button type="button" className="mt-2 block text-[12.5px] text-act" onClick={() => setOpen(true)}>
        Load some rows first, or set when it gives way…
      </button>
    );
  const which = request.rows !== undefined ? "rows" : request.first !== undefined ? "first" : request.each ? "each" : "all";
  const policy = request.whole
    ? "whole"
    : request.pause_held !== undefined
      ? "pause"
      : request.stop_fails !== undefined
        ? "stop"
        : "good";
  const put = (part: { which?: string; policy?: string; rows?: string; first?: string; bound?: string }) => {
    const w = part.which ?? which;
    const p = part.policy ?? policy;
    const b = Math.max(1, Number(part.bound ?? bound) || 1);
    onChange({
      ...(w === "rows" ? { rows: part.rows ?? rows } : {}),
      ...(w === "first" ? { first: Math.max(1, Number(part.first ?? first) || 1) } : {}),
      ...(w === "each" ? { each: true } : {}),
      ...(p === "whole" ? { whole: true } : {}),
      ...(p === "pause" ? { pause_held: b } : {}),
      ...(p === "stop" ? { stop_fails: b } : {}),
    });
  };
  return (
    <div className="mt-3 grid grid-cols-2 gap-2 text-[12.5px]">
      <div>
        <span className="mb-1 block text-[12px] font-medium text-ink-soft">Which rows</span>
        <Choose label="Which rows" value={which} options={[...whiches]} onChange={(v) => put({ which: v })} />
      </div>
      {which === "rows" && (
        <Labelled label="Rows" hint="Such as 2-11, 15.">
          <input
            className={inputClass}
            value={rows}
            onChange={(e) => {
              setRows(e.target.value);
              put({ rows: e.target.value });
            }}
          />
        </Labelled>
      )}
      {which === "first" && (
        <Labelled label="How many">
          <input
            className={inputClass}
            inputMode="numeric"
            value={first}
            onChange={(e) => {
              setFirst(e.target.value);
              put({ first: e.target.value });
            }}
          />
        </Labelled>
      )}
      <div className="col-span-full">
        <span className="mb-1 block text-[12px] font-medium text-ink-soft">What cannot be loaded</span>
        <Choose label="What cannot be loaded" value={policy} options={[...policies]} onChange={(v) => put({ policy: v })} />
      </div>
      {(policy === "pause" || policy === "stop") && (
        <Labelled label={policy === "pause" ? "Held rows" : "Failed rows"} hint={`Of ${count(i.totals?.rows ?? i.rows)}.`}>
          <input
            className={inputClass}
            inputMode="numeric"
            value={bound}
            onChange={(e) => {
              setBound(e.target.value);
              put({ bound: e.target.value });
            }}
          />
        </Labelled>
      )}
    </div>
  );
}
