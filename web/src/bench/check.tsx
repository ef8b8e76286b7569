import { type ReactNode } from "react";
import type { Import } from "../api/client";
import { act, useImportActs } from "../api/queries";
import { Button, cx, Wrong } from "../ui/parts";
import { Pace } from "../ui/progress";
import { toast } from "../ui/toast";
import { count, DraftTotals } from "../ui/verdict";
import { Gone } from "./gone";
import { noFilter } from "./grid";
import { labelOf } from "./mapping";
import { HeldSheet, Mended, MendKind } from "./mend";
import { Section, toldOnly, type PanelProps } from "./panel";
import { useAnswers, useQuestions } from "./questions";

/** Whether answers were given that the last check has not seen. */
export function answeredSince(i: Import): boolean {
  return !!i.answered_at && !!i.checked_at && i.answered_at > i.checked_at;
}

/** A count that is a filter. */
function Counted(p: { n: number; look?: string; on: boolean; onClick: () => void; children: ReactNode; below?: ReactNode }) {
  return (
    <li>
      <button
        type="button"
        aria-pressed={p.on}
        onClick={p.onClick}
        className={cx("flex w-full gap-2 rounded px-2 py-1 text-left", p.on ? "bg-ask-soft" : "hover:bg-act-soft")}
      >
        <span className={cx("figures min-w-8 shrink-0 text-right whitespace-nowrap font-semibold", p.look)}>{count(p.n)}</span>
        <span>{p.children}</span>
      </button>
      {p.below}
    </li>
  );
}

/** What is asked, by kind, with answers for many at once. */
function Asked({ workspace, i, filter, onFilter, onAsk }: Pick<PanelProps, "workspace" | "i" | "filter" | "onFilter" | "onAsk">) {
  const list = useQuestions(workspace, i, true);
  const acts = useAnswers(workspace, i.id);
  const open = list.data?.open ?? 0;
  const asked = i.totals?.verdicts["ask"] ?? 0;
  const sure = (list.data?.questions ?? []).filter((q) => !q.answer?.choice && q.percent >= 90).length;
  return (
    <Section title={`Asked: ${count(asked)} ${asked === 1 ? "row" : "rows"}`}>
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
          {asked === 1 ? "Answer it" : "Answer them one by one"}
        </Button>
        {sure > 0 && (
          <Button disabled={acts.many.isPending} onClick={() => acts.many.mutate({ choice: "take", from: 90 })}>
            Take the {count(sure)} of 90 % and more
          </Button>
        )}
        {open > 0 && (
          <>
            <Button disabled={acts.many.isPending} onClick={() => acts.many.mutate({ choice: "new" })}>
              {open === 1 ? "The one that is open is new" : `All ${count(open)} open are new`}
            </Button>
            <Button disabled={acts.many.isPending} onClick={() => acts.many.mutate({ choice: "leave_out" })}>
              {open === 1 ? "Leave it out" : `Leave the ${count(open)} open out`}
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

export function CheckPanel({ workspace, i, t, types, kinds, filter, onFilter, onStation, onAsk }: PanelProps) {
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
          <p className="w-full text-ask">Something was answered or mended since. It counts after another check.</p>
        )}
        <Wrong error={acts.check.error} className="w-full" />
        {i.trouble?.code && <Wrong error={new Error(`${i.trouble.message}. ${i.trouble.mend ?? ""}`)} className="w-full" />}
      </div>
      {!checked && i.busy !== "check" && (
        <p className="px-4 py-3 text-ink-soft">The check works out what each row would do. It touches no record.</p>
      )}
      {checked && (
        <>
          <Mended workspace={workspace} i={i} />
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
                    key={p.code + p.field + String(p.light)}
                    n={p.count}
                    look={p.light ? "text-ink-soft" : "text-ask"}
                    below={on && <MendKind workspace={workspace} i={i} kinds={kinds} types={types} problem={p} />}
                    on={on}
                    onClick={() => onFilter({ ...noFilter, ...(on ? {} : { problem: p.code, field: p.field }) })}
                  >
                    {p.field && <b className="font-medium">{label(p.field)}: </b>}
                    {p.message}
                    {p.light && (
                      <span className="text-ink-soft">
                        ; {toldOnly.includes(p.code) ? "the rows load all the same" : "the rows load without it"}
                      </span>
                    )}
                  </Counted>
                );
              })}
            </ul>
            {(i.totals?.verdicts["hold"] ?? 0) > 0 && <HeldSheet workspace={workspace} i={i} />}
          </Section>
          {i.totals?.drafts?.map((d, n) => {
            const kind = kinds[n];
            return d.gone && kind ? (
              <Section key={d.name} title={`${kind.t.plural} that are not in the file`}>
                <Gone workspace={workspace} i={i} kind={kind} gone={d.gone} />
              </Section>
            ) : null;
          })}
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
                    <span className="figures min-w-8 shrink-0 text-right whitespace-nowrap font-semibold text-hold">
                      {count(r.count)}
                    </span>
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
                  <span className="figures min-w-8 text-right whitespace-nowrap font-semibold text-update">{count(c.count)}</span>
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
