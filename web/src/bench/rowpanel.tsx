import { useQuery } from "@tanstack/react-query";
import { ChevronLeft, ChevronRight } from "lucide-react";
import { useEffect, useState } from "react";
import { Link } from "react-router";
import type { Import, RecordType } from "../api/client";
import { oneRow, stampOf } from "../api/queries";
import { BeforeAfter } from "../pages/record";
import { Button, cx, Empty, inputClass, Loading, Wrong } from "../ui/parts";
import { Word } from "../ui/verdict";
import { alike, useAnswers } from "./questions";

/** The selected row as the record that it becomes. */
export function RowPanel({
  workspace,
  i,
  row,
  t,
  onGo,
}: {
  workspace: string;
  i: Import;
  row: number;
  t: RecordType | undefined;
  onGo: (row: number) => void;
}) {
  const [jump, setJump] = useState(String(row || ""));
  useEffect(() => setJump(String(row || "")), [row]);
  const shown = useQuery({ ...oneRow(workspace, i.id, row, stampOf(i)), enabled: row > 0 && i.busy !== "read" });
  const r = shown.data;
  const answers = useAnswers(workspace, i.id);
  const canLeave =
    i.busy === "" && i.totals && r?.row.row === row && !r.row.reason && (!r.row.outcome || r.row.outcome === "held");
  const ownProblems = r?.row.problems?.filter((p) => !r.values.some((v) => v.field === p.field)) ?? [];
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
        {shown.error ? <Wrong error={shown.error} className="m-3" /> : null}
        {row > 0 && shown.isPending && <Loading what="the row" />}
        {r && (
          <>
            <div className="border-b border-line px-4 py-2.5">
              <div className="text-[12px] text-ink-soft">{t?.label}</div>
              {r.record?.id ? (
                <Link className="font-head text-[16px] text-act" to={`/w/${workspace}/records/${r.type}/${r.record.id}`}>
                  {r.record.title} <span className="font-sans text-[12px] text-ink-faint">{r.record.id}</span>
                </Link>
              ) : (
                <div className="font-head text-[16px]">{titleOf(r.values, t) || "New record"}</div>
              )}
              {r.row.percent ? (
                <p className="figures text-[12.5px] text-ink-soft">found by likeness, {alike(r.row.percent)}</p>
              ) : null}
              {r.row.reason && <p className="mt-1 text-[12.5px]">{r.row.reason}.</p>}
              {r.row.other_row ? (
                <button type="button" className="text-[12.5px] text-act" onClick={() => onGo(r.row.other_row ?? row)}>
                  See row {r.row.other_row}
                </button>
              ) : null}
              {ownProblems.map((p, n) => (
                <p key={n} className="mt-1.5 rounded bg-ask-soft px-2 py-1 text-[12.5px]">
                  <b className="text-ask">
                    {p.field ? `${p.field}: ` : ""}
                    {p.message}.
                  </b>{" "}
                  {p.mend}
                </p>
              ))}
            </div>
            <dl>
              {r.values.map((v) => (
                <div key={v.field} className={cx("border-b border-line px-4 py-1.5", v.problem?.code && "bg-ask-soft")}>
                  <dt className="flex justify-between gap-2 text-[12px] text-ink-soft">
                    {v.label}
                    {v.column && v.column !== v.label && <span className="truncate text-ink-faint">from {v.column}</span>}
                  </dt>
                  <dd dir="auto" className="break-words whitespace-pre-wrap">
                    {v.problem?.code ? (
                      <>
                        <span className="font-medium text-ask">{v.problem.value || "nothing"}</span>
                        <span className="block text-[12.5px]">
                          {v.problem.message}. {v.problem.mend}
                        </span>
                      </>
                    ) : v.changed ? (
                      <BeforeAfter before={v.before} after={v.after} />
                    ) : (
                      v.after || <span className="text-ink-faint">–</span>
                    )}
                  </dd>
                </div>
              ))}
            </dl>
            {canLeave && (
              <div className="px-4 py-2.5">
                <Button disabled={answers.answer.isPending} onClick={() => answers.answer.mutate([{ row, choice: "leave_out" }])}>
                  Leave this row out
                </Button>
                <Wrong error={answers.answer.error} className="mt-2" />
              </div>
            )}
            {r.values.length === 0 && <Empty title="No column is placed yet">Place columns to see the record.</Empty>}
          </>
        )}
      </div>
    </div>
  );
}

function titleOf(values: { field: string; after?: string }[], t: RecordType | undefined): string {
  return (t?.title ?? [])
    .map((name) => values.find((v) => v.field === name)?.after)
    .filter(Boolean)
    .join(" ");
}
