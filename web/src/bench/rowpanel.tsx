import { toast } from "../ui/toast";
import { useQuery } from "@tanstack/react-query";
import { ChevronLeft, ChevronRight } from "lucide-react";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import type { DraftRecord, Import, Row } from "../api/client";
import { act, oneRow, stampOf } from "../api/queries";
import { BeforeAfter } from "../pages/record";
import { Button, cx, Empty, inputClass, Loading, Wrong } from "../ui/parts";
import { Word } from "../ui/verdict";
import { CellEditor } from "./cell";
import { useEdits } from "./mend";
import { labelOf, spot, titleOf, type Kind } from "./mapping";
import { alike, useAnswers } from "./questions";
import { toldOnly } from "./panel";

/** The selected row as the record, or the records side by side, that it becomes. */
export function RowPanel({
  workspace,
  i,
  row,
  kinds,
  onGo,
}: {
  workspace: string;
  i: Import;
  row: number;
  kinds: Kind[];
  onGo: (row: number) => void;
}) {
  const [jump, setJump] = useState(String(row || ""));
  useEffect(() => setJump(String(row || "")), [row]);
  const shown = useQuery({ ...oneRow(workspace, i.id, row, stampOf(i)), enabled: row > 0 && i.busy !== "read" });
  const r = shown.data;
  const answers = useAnswers(workspace, i.id);
  const canLeave =
    act(i, "answer").can && i.totals && r?.row.row === row && !r.row.reason && (!r.row.outcome || r.row.outcome === "held");
  const several = (r?.drafts.length ?? 0) > 1;
  const said = new Set(r?.drafts.flatMap((d) => d.values.map((v) => (several ? spot(d.draft, v.field) : v.field))));
  const ownProblems = r?.row.problems?.filter((p) => !p.field || !said.has(p.field)) ?? [];
  return (
    <div className="flex h-full flex-col">
      <form
        className="flex items-center gap-1.5 border-b border-line px-3 py-2"
        onSubmit={(e) => {
          e.preventDefault();
          const n = Number(jump);
          if (n > 0) onGo(n);
        }}
      >
        <Button look="quiet" aria-label="Previous row" className="px-1.5" onClick={() => row > 1 && onGo(row - 1)}>
          <ChevronLeft size={16} />
        </Button>
        <span className="text-ink-soft">Row</span>
        <input
          aria-label="Go to row"
          className={cx(inputClass, "figures h-7! w-20!")}
          inputMode="numeric"
          value={jump}
          onChange={(e) => setJump(e.target.value)}
        />
        <Button look="quiet" aria-label="Next row" className="px-1.5" onClick={() => onGo(row + 1)}>
          <ChevronRight size={16} />
        </Button>
        {r && (
          <span className="ml-auto">
            {(r.row.outcome ?? r.row.verdict) && <Word word={r.row.outcome ?? r.row.verdict ?? ""} />}
          </span>
        )}
      </form>
      <div className="min-h-0 flex-1 overflow-auto">
        {row === 0 && (
          <Empty title="No row chosen">Choose a row to see it as the record it becomes. Arrow keys walk the rows.</Empty>
        )}
        {shown.error && !shown.data ? <Wrong error={shown.error} className="m-3" /> : null}
        {row > 0 && shown.isPending && <Loading what="the row" />}
        {r && (
          <>
            {ownProblems.length > 0 && (
              <div className="space-y-1.5 border-b border-line px-4 py-2.5">
                {ownProblems.map((p, n) => (
                  <p key={n} className="rounded bg-ask-soft px-2 py-1 text-[12.5px]">
                    <b className="text-ask">
                      {p.field ? `${labelOf(kinds, p.field)}: ` : ""}
                      {p.message}.
                    </b>{" "}
                    {p.mend}
                  </p>
                ))}
              </div>
            )}
            {several && r.row.reason && <p className="border-b border-line px-4 py-2 text-[12.5px]">{r.row.reason}.</p>}
            <div className={cx(several && "grid grid-cols-2")}>
              {r.drafts.map((d) => (
                <OneRecord
                  key={d.draft}
                  workspace={workspace}
                  d={d}
                  k={kinds.find((k) => k.name === d.draft)}
                  kinds={kinds}
                  several={several}
                  onGo={onGo}
                  i={i}
                  row={r.row}
                />
              ))}
            </div>
            {canLeave && (
              <div className="px-4 py-2.5">
                <Button
                  disabled={answers.answer.isPending}
                  onClick={() =>
                    answers.answer.mutate([{ row, choice: "leave_out" }], {
                      onSuccess: () => toast(`Row ${row} is left out at the next check.`, () => answers.back.mutate([row])),
                    })
                  }
                >
                  Leave this row out
                </Button>
                <Wrong error={answers.answer.error} className="mt-2" />
              </div>
            )}
            {r.row.reason_code === "answer" && act(i, "answer").can && (
              <div className="px-4 py-2.5">
                <Button disabled={answers.back.isPending} onClick={() => answers.back.mutate([row])}>
                  Take this row in again
                </Button>
                <p className="mt-1 text-[12px] text-ink-soft">It counts after another check.</p>
                <Wrong error={answers.back.error} className="mt-2" />
              </div>
            )}
            {r.drafts.length === 0 && <Empty title="No column is placed yet">Place columns to see the record.</Empty>}
          </>
        )}
      </div>
    </div>
  );
}

/** One of the records that the row becomes: before → after, with its problems. */
function OneRecord(p: {
  workspace: string;
  d: DraftRecord;
  k: Kind | undefined;
  kinds: Kind[];
  several: boolean;
  onGo: (row: number) => void;
  i: Import;
  row: Row;
}) {
  const { d, k, several } = p;
  const word = d.outcome ?? d.verdict;
  return (
    <section aria-label={k && titleOf(k, p.kinds)} className={cx("min-w-0", several && "border-b border-line odd:border-r")}>
      <div className="border-b border-line px-4 py-2.5">
        <div className="flex items-center justify-between gap-2 text-[12px] text-ink-soft">
          {k && titleOf(k, p.kinds)}
          {several && word && <Word word={word} />}
        </div>
        {d.record?.id ? (
          <Link className="font-head text-[16px] text-act" to={`/w/${p.workspace}/records/${d.type}/${d.record.id}`}>
            {d.record.title} <span className="font-sans text-[12px] text-ink-faint">{d.record.id}</span>
          </Link>
        ) : (
          <div className="font-head text-[16px]">
            {nameIn(d, k) || (d.other_row ? `That of row ${d.other_row}` : d.values.length ? "New record" : "None")}
          </div>
        )}
        {d.percent ? <p className="figures text-[12.5px] text-ink-soft">found by likeness, {alike(d.percent)}</p> : null}
        {d.reason && <p className="mt-1 text-[12.5px]">{d.reason}.</p>}
        {d.other_row ? (
          <button type="button" className="text-[12.5px] text-act" onClick={() => p.onGo(d.other_row ?? 0)}>
            See row {d.other_row}
          </button>
        ) : null}
      </div>
      <dl>
        {d.values.map((v) => (
          <div
            key={v.field}
            className={cx("group relative border-b border-line px-4 py-1.5 last:border-0", v.problem?.code && "bg-ask-soft")}
          >
            <dt className="flex justify-between gap-2 text-[12px] text-ink-soft">
              <span className="shrink-0">{v.label}</span>
              {v.column && v.column !== v.label && <span className="truncate text-ink-faint">from {v.column}</span>}
            </dt>
            <dd dir="auto" className="break-words whitespace-pre-wrap">
              {v.problem?.code ? (
                <>
                  <span className="font-medium text-ask">{v.problem.value || "nothing"}</span>
                  <span className="block text-[12.5px]">
                    {v.problem.light && !toldOnly.includes(v.problem.code) ? "The row loads without it: " : ""}
                    {v.problem.message}. {v.problem.mend}
                  </span>
                </>
              ) : v.link?.id ? (
                <>
                  {v.changed && v.before && <del className="mr-1 text-ink-faint">{v.before}</del>}
                  <Link className="text-act underline" to={`/w/${p.workspace}/records/${v.link.type}/${v.link.id}`}>
                    {v.link.title}
                  </Link>{" "}
                  <span className="text-[12px] text-ink-faint">{v.link.id}</span>
                </>
              ) : v.changed ? (
                <BeforeAfter before={v.before} after={v.after} />
              ) : (
                v.after || <span className="text-ink-faint">–</span>
              )}
              {v.why && !v.problem?.code && (
                <span className="block text-[12px] text-ink-soft">
                  {v.why}
                  {v.link?.id && v.said && v.said !== v.link.title && v.said !== v.link.id && `: “${v.said}”`}
                </span>
              )}
              {v.column && k && (
                <MendHere
                  workspace={p.workspace}
                  i={p.i}
                  row={p.row}
                  k={k}
                  field={v.field}
                  column={v.column}
                  wrong={!!v.problem?.code}
                />
              )}
            </dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

/** Changes the cell that a value comes from, beside the value. */
function MendHere(p: { workspace: string; i: Import; row: Row; k: Kind; field: string; column: string; wrong: boolean }) {
  const edits = useEdits(p.workspace, p.i.id);
  const [open, setOpen] = useState(false);
  const column = p.i.columns?.find((c) => c.header === p.column);
  const settled = p.row.outcome && !["held", "failed", "undone"].includes(p.row.outcome);
  const edited = p.row.edits?.find((e) => e.column === p.column);
  // Who is typing goes on when a check begins meanwhile; what they keep waits for it.
  if (!column || settled || (!open && !act(p.i, "edit").can)) return null;
  const text = p.row.cells[column.position] ?? "";
  return (
    <div className={cx("text-[12px]", (p.wrong || open || edited) && "mt-1")}>
      {open ? (
        <CellEditor
          workspace={p.workspace}
          importId={p.i.id}
          label={`${p.column}, row ${p.row.row}`}
          kind={p.k}
          field={p.k.t.fields.find((f) => f.name === p.field)}
          text={text}
          onDone={(now) => {
            setOpen(false);
            if (now !== undefined && now !== text) edits.edit.mutate([{ row: p.row.row, column: p.column, value: now }]);
          }}
        />
      ) : (
        <button
          type="button"
          className={cx(
            "text-act",
            !p.wrong && "absolute right-3 bottom-1 rounded bg-sheet px-1 opacity-0 group-hover:opacity-100 focus:opacity-100",
          )}
          disabled={edits.edit.isPending}
          onClick={() => setOpen(true)}
        >
          {edits.edit.isPending ? "Changing…" : "Change the cell"}
          <span className="sr-only"> {p.column}</span>
        </button>
      )}
      {edited && !open && (
        <span className="ml-2 text-ink-soft">
          The source says “{edited.was || "nothing"}”.{" "}
          <button type="button" className="text-act" onClick={() => edits.back.mutate({ row: [p.row.row], column: p.column })}>
            Take it back
          </button>
        </span>
      )}
      <Wrong error={edits.edit.error ?? edits.back.error} className="mt-1" />
    </div>
  );
}

function nameIn(d: DraftRecord, k: Kind | undefined): string {
  return (k?.t.title ?? [])
    .map((name) => d.values.find((v) => v.field === name)?.after)
    .filter(Boolean)
    .join(" ");
}
