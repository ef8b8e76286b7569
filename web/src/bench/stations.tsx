import { useQuery } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useState, type ReactNode } from "react";
import { Link } from "react-router";
import { api, must, type Import } from "../api/client";
import { act, stampOf, useImportActs } from "../api/queries";
import { BeforeAfter } from "../pages/record";
import { Button, Confirm, cx, Dialog, Wrong } from "../ui/parts";
import { Chip, count, DraftTotals, outcomeWords, Word, written } from "../ui/verdict";
import { noFilter } from "./grid";
import { labelOf } from "./mapping";
import { toast } from "../ui/toast";
import { Pace } from "../ui/progress";
import { useAnswers, useQuestions } from "./questions";
import { Section, type PanelProps } from "./panel";

/** Whether answers were given that the last check has not seen. */
export function answeredSince(i: Import): boolean {
  return !!i.answered_at && !!i.checked_at && i.answered_at > i.checked_at;
}

/** A count that is a filter. */
function Counted(p: { n: number; look?: string; on: boolean; onClick: () => void; children: ReactNode }) {
  return (
    <li>
      <button
        type="button"
        aria-pressed={p.on}
        onClick={p.onClick}
        className={cx("flex w-full gap-2 rounded px-2 py-1 text-left", p.on ? "bg-ask-soft" : "hover:bg-act-soft")}
      >
        <span className={cx("figures w-8 shrink-0 text-right font-semibold", p.look)}>{count(p.n)}</span>
        <span>{p.children}</span>
      </button>
    </li>
  );
}

/** What is asked, by kind, with answers for many at once. */
function Asked({ workspace, i, filter, onFilter, onAsk }: Pick<PanelProps, "workspace" | "i" | "filter" | "onFilter" | "onAsk">) {
  const list = useQuestions(workspace, i, true);
  const acts = useAnswers(workspace, i.id);
  const open = list.data?.open ?? 0;
  const sure = (list.data?.questions ?? []).filter((q) => !q.answer?.choice && q.percent >= 99).length;
  return (
    <Section title={`Asked: ${count(i.totals?.verdicts["ask"] ?? 0)} rows`}>
      <ul>
        {i.totals?.asked?.map((a) => (
          <Counted
            key={a.kind}
            n={a.count}
            look="text-ask"
            on={filter.kind === a.kind}
            onClick={() => onFilter({ ...noFilter, kind: filter.kind === a.kind ? "" : a.kind })}
          >
            {a.message}
          </Counted>
        ))}
      </ul>
      <div className="mt-2 flex flex-wrap gap-2">
        <Button look="ask" onClick={onAsk}>
          Answer them one by one
        </Button>
        {sure > 0 && (
          <Button disabled={acts.many.isPending} onClick={() => acts.many.mutate({ choice: "take", from: 99 })}>
            Take the {count(sure)} above 99 %
          </Button>
        )}
        {open > 0 && (
          <>
            <Button disabled={acts.many.isPending} onClick={() => acts.many.mutate({ choice: "new" })}>
              All {count(open)} open are new
            </Button>
            <Button disabled={acts.many.isPending} onClick={() => acts.many.mutate({ choice: "leave_out" })}>
              Leave the {count(open)} open out
            </Button>
          </>
        )}
        {(list.data?.count ?? 0) > open && (
          <Button look="quiet" disabled={acts.back.isPending} onClick={() => acts.back.mutate([])}>
            Take all answers back
          </Button>
        )}
      </div>
      <Wrong error={acts.many.error ?? acts.back.error ?? list.error} className="mt-2" />
    </Section>
  );
}

export function CheckPanel({ workspace, i, t, kinds, filter, onFilter, onStation, onAsk }: PanelProps) {
  const acts = useImportActs(workspace, i.id);
  const answers = useAnswers(workspace, i.id);
  const label = (name: string) => labelOf(kinds, name);
  const checked = i.totals && i.state !== "checking";
  return (
    <>
      <div className="flex flex-wrap gap-2 border-b border-line px-4 py-3">
        <Button
          look={checked && !answeredSince(i) ? "plain" : "act"}
          onClick={() => acts.check.mutate()}
          disabled={!act(i, "check").can || !t}
          title={act(i, "check").can ? undefined : act(i, "check").why}
        >
          {i.busy === "check" ? "Checking…" : checked ? "Check again" : `Check ${count(i.rows)} rows`}
        </Button>
        {i.busy === "check" && i.done > 0 && <Pace done={i.done} of={i.of || i.rows} running />}
        {i.busy === "check" && (
          <Button disabled={i.cancelling} onClick={() => acts.cancel.mutate()}>
            {i.cancelling ? "Cancelling…" : "Cancel"}
          </Button>
        )}
        {checked && i.state === "ready" && !answeredSince(i) && (
          <Button look="act" onClick={() => onStation("load")}>
            Go on to the load
          </Button>
        )}
        {checked && answeredSince(i) && (
          <p className="w-full text-ask">Answers were given since. They count after another check.</p>
        )}
        <Wrong error={acts.check.error} className="w-full" />
        {i.trouble?.code && <Wrong error={new Error(`${i.trouble.message}. ${i.trouble.mend ?? ""}`)} className="w-full" />}
      </div>
      {!checked && i.busy !== "check" && (
        <p className="px-4 py-3 text-ink-soft">The check works out what each row would do. It touches no record.</p>
      )}
      {checked && (
        <>
          {i.totals && kinds.length > 1 && (
            <Section title="The records of the rows">
              <DraftTotals totals={i.totals} />
            </Section>
          )}
          {(i.totals?.verdicts["ask"] ?? 0) > 0 && (
            <Asked workspace={workspace} i={i} filter={filter} onFilter={onFilter} onAsk={onAsk} />
          )}
          <Section title={i.totals?.problems.length ? "What is wrong" : "Nothing is wrong"}>
            <ul>
              {i.totals?.problems.map((p) => {
                const on = filter.problem === p.code && filter.field === p.field;
                return (
                  <Counted
                    key={p.code + p.field}
                    n={p.count}
                    look="text-ask"
                    on={on}
                    onClick={() => onFilter({ ...noFilter, ...(on ? {} : { problem: p.code, field: p.field }) })}
                  >
                    {p.field && <b className="font-medium">{label(p.field)}: </b>}
                    {p.message}
                  </Counted>
                );
              })}
            </ul>
            {(i.totals?.verdicts["hold"] ?? 0) > 0 && (
              <a
                className="mt-2 inline-flex items-center gap-1.5 text-act"
                href={`/api/v1/workspaces/${workspace}/imports/${i.id}/rows.csv?verdict=hold`}
              >
                <Download size={14} /> Held rows as a sheet
              </a>
            )}
          </Section>
          {((i.totals?.reasons?.length ?? 0) > 0 || (i.totals?.referred?.length ?? 0) > 0) && (
            <Section title="Left out">
              <ul>
                {i.totals?.reasons?.map((r) => (
                  <Counted
                    key={r.reason}
                    n={r.count}
                    on={filter.reason === r.reason}
                    onClick={() => onFilter({ ...noFilter, reason: filter.reason === r.reason ? "" : r.reason })}
                  >
                    {r.message}
                  </Counted>
                ))}
                {i.totals?.referred?.map((r) => (
                  <li key={r.type + r.field} className="flex gap-2 px-2 py-0.5">
                    <span className="figures w-8 shrink-0 text-right font-semibold text-hold">{count(r.count)}</span>
                    <span>
                      {r.type} records point to those that the rows name, by {r.field}
                    </span>
                  </li>
                ))}
              </ul>
              {i.totals?.reasons?.some((r) => r.reason === "answer") && (
                <Button
                  className="mt-2"
                  disabled={!act(i, "answer").can || answers.back.isPending}
                  onClick={() => answers.back.mutate([])}
                >
                  Take all answers back
                </Button>
              )}
            </Section>
          )}
          {i.state !== "loaded" && ((i.totals?.verdicts["create"] ?? 0) > 0 || (i.totals?.verdicts["update"] ?? 0) > 0) && (
            <Section title="Leave out">
              <div className="flex flex-wrap gap-2">
                {(["create", "update"] as const)
                  .filter((w) => i.totals?.verdicts[w])
                  .map((w) => (
                    <Button
                      key={w}
                      disabled={!act(i, "answer").can || answers.many.isPending}
                      onClick={() =>
                        answers.many.mutate(
                          { choice: "leave_out", verdict: w },
                          { onSuccess: (kept) => toast(`${count(kept.count)} rows are left out at the next check.`) },
                        )
                      }
                    >
                      All {count(i.totals?.verdicts[w] ?? 0)} {w === "create" ? "new ones" : "updates"}
                    </Button>
                  ))}
              </div>
              <Wrong error={answers.many.error} className="mt-2" />
            </Section>
          )}
          <Section title={i.totals?.changes.length ? "Values that would change" : "No value would change"}>
            <ul>
              {i.totals?.changes.map((c) => (
                <li key={c.field} className="flex gap-2 px-2 py-0.5">
                  <span className="figures w-8 text-right font-semibold text-update">{count(c.count)}</span>
                  <span>
                    {label(c.field)}
                    {c.over > 0 && <span className="text-ink-soft">, {count(c.over)} replace a value</span>}
                  </span>
                </li>
              ))}
            </ul>
          </Section>
        </>
      )}
    </>
  );
}

function loadWords(i: Import): string {
  const v = written(i.totals);
  const parts = (["create", "update", "delete"] as const).filter((w) => v[w]).map((w) => `${w} ${count(v[w] ?? 0)}`);
  const words = parts.join(" · ");
  return words ? words.charAt(0).toUpperCase() + words.slice(1) : "Note the outcomes";
}

export function LoadPanel({ workspace, i, kinds, onStation }: PanelProps) {
  const acts = useImportActs(workspace, i.id);
  const [asking, setAsking] = useState(false);
  const [stopping, setStopping] = useState(false);
  const path = { workspace, import: i.id };
  const overwrites = useQuery({
    queryKey: ["overwrites", workspace, i.id, stampOf(i)],
    enabled: i.state === "ready",
    queryFn: () =>
      must(api.GET("/workspaces/{workspace}/imports/{import}/overwrites", { params: { path, query: { limit: 8 } } })),
  });
  const v = i.totals?.verdicts ?? {};
  const label = (name: string) => labelOf(kinds, name);
  const error = acts.load.error ?? acts.pause.error ?? acts.resume.error ?? acts.stop.error;
  return (
    <>
      {i.state === "ready" && (
        <div className="border-b border-line px-4 py-3">
          <Button look="act" disabled={!act(i, "load").can} onClick={() => setAsking(true)}>
            {loadWords(i)}
          </Button>
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
      {["loaded", "stopped", "closed"].includes(i.state) && (
        <div className="border-b border-line px-4 py-3">
          <p className="mb-2">
            {i.state === "closed"
              ? "The import is closed; its records stay."
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
      {i.totals && (
        <Section title="What it does">
          <ul className="space-y-1">
            {(["create", "update", "delete", "same", "skip", "ask", "hold"] as const)
              .filter((w) => v[w])
              .map((w) => (
                <li key={w} className="flex gap-2">
                  <span className="figures w-12 shrink-0 text-right font-semibold">{count(v[w] ?? 0)}</span>
                  <Word word={w} />
                  <span className="text-ink-soft">{meaning[w]}</span>
                </li>
              ))}
          </ul>
          {kinds.length > 1 && <DraftTotals totals={i.totals} />}
        </Section>
      )}
      {overwrites.data && overwrites.data.rows.length > 0 && (
        <Section title="First values that are replaced">
          {overwrites.data.rows.map((r) => (
            <div key={r.row} className="mb-1.5 text-[12.5px]">
              <span className="text-ink-faint">
                row {r.row}, {r.record}
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
                acts.load.mutate();
              }}
            >
              {loadWords(i)}
            </Button>
          </>
        }
      >
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
          {(v["hold"] ?? 0) + (v["ask"] ?? 0) > 0 &&
            `${count((v["hold"] ?? 0) + (v["ask"] ?? 0))} rows are held back or asked about and stay as they are.`}
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

const meaning: Record<string, string> = {
  create: "new records",
  update: "records get new values",
  same: "say nothing new",
  delete: "records are deleted",
  skip: "are left out",
  ask: "wait for an answer",
  hold: "are held back; they have problems",
};

export function ResultPanel({ workspace, i, kinds, filter, onFilter, onStation }: PanelProps) {
  const base = `/api/v1/workspaces/${workspace}/imports/${i.id}/rows.csv`;
  const outcomes = outcomeWords.filter((w) => i.outcomes[w]);
  if (!outcomes.length)
    return <p className="px-4 py-3 text-ink-soft">Nothing is loaded yet. What happens to each row is shown here.</p>;
  const left = (i.outcomes["held"] ?? 0) + (i.outcomes["failed"] ?? 0);
  return (
    <>
      <Section title={i.state === "loaded" ? "Loaded" : i.state}>
        <ul className="space-y-1">
          {outcomes.map((w) => (
            <li key={w} className="flex items-center gap-2">
              <span className="figures w-12 shrink-0 text-right font-semibold">{count(i.outcomes[w] ?? 0)}</span>
              <Chip
                on={filter.outcome === w}
                onClick={() => onFilter({ outcome: filter.outcome === w ? "" : w, verdict: "", problem: "", field: "" })}
              >
                <Word word={w} />
              </Chip>
            </li>
          ))}
        </ul>
        {(i.outcomes["created"] ?? 0) > 0 &&
          [...new Set(kinds.map((k) => k.t))].map((t) => (
            <Link key={t.name} className="mt-2 block text-act" to={`/w/${workspace}/records/${t.name}?import=${i.id}`}>
              See the new {t.plural.toLowerCase()}
            </Link>
          ))}
      </Section>
      <Section title="As a sheet">
        {[
          ["", "every row with its outcome"],
          ["created", "what was created, with the new ids"],
          ["held", "what is held, with what is wrong"],
          ["failed", "what failed"],
        ]
          .filter(([w]) => !w || i.outcomes[w])
          .map(([w, text]) => (
            <a key={w} className="flex items-center gap-1.5 py-1 text-act" href={w ? `${base}?outcome=${w}` : base}>
              <Download size={14} /> {text}
            </a>
          ))}
      </Section>
      {left > 0 && (
        <Section title="What is left">
          <p className="mb-2 text-ink-soft">
            {count(left)} rows are not in. Change the mapping or what the words mean, then check and load what is left.
          </p>
          <Button onClick={() => onStation("columns")}>Mend and check again</Button>
        </Section>
      )}
    </>
  );
}
