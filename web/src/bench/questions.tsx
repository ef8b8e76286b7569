import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ChevronLeft, ChevronRight } from "lucide-react";
import { useEffect, useRef, useState, type KeyboardEvent } from "react";
import { api, must, type Answer, type AskedRow, type Candidate, type Import, type RecordType } from "../api/client";
import { stampOf } from "../api/queries";
import { letterOf } from "../ui/keys";
import { toast } from "../ui/toast";
import { Button, Choose, Confirm, cx, Dialog, Empty, Loading, Wrong } from "../ui/parts";
import { count } from "../ui/verdict";
import { FindRecord } from "./values";

/** Questions of a kind, or with a best candidate between two likenesses in percent. */
export interface Which {
  /** Only those of the kind of this row's question, with the same speaking against. */
  like?: number;
  draft?: string;
  kind?: AskedRow["kind"];
  from?: number;
  to?: number;
  open?: boolean;
}

/** The questions of an import in the order of the rows, with counts. */
export function useQuestions(workspace: string, i: Import, on: boolean, which: Which = {}) {
  return useQuery({
    queryKey: ["questions", workspace, i.id, stampOf(i), which],
    enabled: on && i.busy === "",
    placeholderData: (was) => was,
    queryFn: () =>
      must(
        api.GET("/workspaces/{workspace}/imports/{import}/questions", {
          params: { path: { workspace, import: i.id }, query: { ...which, limit: 500 } },
        }),
      ),
  });
}

/** What changes answers; the import is fetched anew, as its answers count at the next check. */
export function useAnswers(workspace: string, id: number) {
  const client = useQueryClient();
  const path = { workspace, import: id };
  const onSuccess = () => {
    void client.invalidateQueries({ queryKey: ["questions", workspace, id] });
    void client.invalidateQueries({ queryKey: ["question", workspace, id] });
    void client.invalidateQueries({ queryKey: ["import", workspace, id] });
  };
  return {
    answer: useMutation({
      mutationFn: (answers: Answer[]) =>
        must(api.PUT("/workspaces/{workspace}/imports/{import}/answers", { params: { path }, body: { answers } })),
      onSuccess,
    }),
    many: useMutation({
      mutationFn: (body: {
        choice: Answer["choice"];
        kind?: AskedRow["kind"];
        from?: number;
        to?: number;
        verdict?: "create" | "update" | "hold";
        problem?: string;
        field?: string;
      }) => must(api.POST("/workspaces/{workspace}/imports/{import}/answers", { params: { path }, body })),
      onSuccess,
    }),
    back: useMutation({
      mutationFn: (row: number[]) =>
        must(api.DELETE("/workspaces/{workspace}/imports/{import}/answers", { params: { path, query: { row } } })),
      onSuccess,
    }),
  };
}

/** A likeness in percent; what is nearly sure is not called sure. */
export function alike(percent: number): string {
  return percent >= 99.5 ? "over 99 %" : `${Math.floor(percent)} %`;
}

function severalDrafts(i: Import): boolean {
  return (i.routine?.drafts.length ?? 0) > 1;
}

/** Choices of questions by the likeness of the best candidate. */
const bands: { value: string; label: string; bounds: Which }[] = [
  { value: "all", label: "all questions", bounds: {} },
  { value: "open", label: "those without an answer", bounds: { open: true } },
  { value: "sure", label: "90 % and more alike", bounds: { from: 90 } },
  { value: "likely", label: "40 to 90 % alike", bounds: { from: 40, to: 90 } },
  { value: "doubtful", label: "below 40 % alike", bounds: { to: 40 } },
];

const choiceWords: Record<string, string> = { take: "it is", new: "a new record", leave_out: "left out" };

/** One question after the other: the row beside what it may be, differences marked, keys for every answer. */
export function Questions(p: {
  workspace: string;
  i: Import;
  types: RecordType[];
  row: number;
  /** Which of the row's records is asked about; any when empty. */
  draft: string;
  onGo: (row: number, draft: string) => void;
  onEnd: () => void;
}) {
  const { workspace, i } = p;
  const [band, setBand] = useState("all");
  const bounds = bands.find((b) => b.value === band)?.bounds ?? {};
  const list = useQuestions(workspace, i, true, bounds);
  const acts = useAnswers(workspace, i.id);
  const all = list.data?.questions ?? [];
  const at = Math.max(
    0,
    all.findIndex((q) => q.row === p.row && (!p.draft || q.draft === p.draft)),
  );
  const q = all[at];
  const shown = useQuery({
    queryKey: ["question", workspace, i.id, q?.row ?? 0, q?.draft ?? "", i.checked_at],
    enabled: q !== undefined,
    placeholderData: (was) => was,
    queryFn: () =>
      must(
        api.GET("/workspaces/{workspace}/imports/{import}/questions/{row}", {
          params: { path: { workspace, import: i.id, row: q?.row ?? 0 }, query: { draft: q?.draft ?? "" } },
        }),
      ),
  });
  const [chosen, setChosen] = useState(0);
  const [kept, setKept] = useState<string[]>();
  const [searching, setSearching] = useState(false);
  const [last, setLast] = useState<{ row: number; draft: string }>(); // answered last
  const [many, setMany] = useState<Answer["choice"]>();
  useEffect(() => {
    setChosen(0);
    setKept(undefined);
  }, [q?.row, q?.draft]);
  const d = shown.data;
  const shownNow = d !== undefined && d.row === q?.row && d.draft === q.draft;
  const t = p.types.find((x) => x.name === d?.type);
  const candidate = d?.candidates[chosen];
  const keep = kept ?? candidate?.alike ?? [];

  const alikeThis = { like: q?.row ?? 0, draft: q?.draft ?? "" };
  const others = useQuestions(workspace, i, q !== undefined && candidate !== undefined, { ...alikeThis, open: true });
  const likeThis = others.data?.open ?? 0;
  const go = (by: number) => {
    const next = all[at + by];
    if (next) p.onGo(next.row, next.draft);
  };
  const nextOpen = () => {
    const rest = [...all.slice(at + 1), ...all.slice(0, at)];
    const next = rest.find((x) => !x.answer?.choice);
    if (next) p.onGo(next.row, next.draft);
  };
  const say = (choice: Answer["choice"], record?: string) => {
    if (!q || d?.row !== q.row || d.draft !== q.draft) return; // not before it is shown
    const a: Answer = { row: q.row, draft: q.draft, choice };
    if (choice === "take" && record) a.record = record;
    else if (choice === "take" && candidate) {
      if (candidate.row) a.other_row = candidate.row;
      else {
        a.record = candidate.record ?? "";
        a.keep = keep;
      }
    }
    acts.answer.mutate([a], {
      onSuccess: () => {
        setLast({ row: q.row, draft: q.draft });
        toast(
          `Row ${q.row}: ${choiceWords[choice]}${choice === "take" ? ` ${a.record ?? (a.other_row ? `row ${a.other_row}` : "")}` : ""}`,
          () => acts.back.mutate([q.row]),
        );
        nextOpen();
      },
    });
  };
  const undo = () => {
    if (!last) return;
    acts.back.mutate([last.row], {
      onSuccess: () => {
        p.onGo(last.row, last.draft);
        setLast(undefined);
      },
    });
  };
  const box = useRef<HTMLElement>(null);
  useEffect(() => box.current?.focus(), []);
  useEffect(() => {
    // What had the focus went with the last question.
    if (document.activeElement === document.body) box.current?.focus();
  }, [q?.row, q?.draft, shown.data]);
  useEffect(() => {
    box.current?.querySelector('[aria-pressed="true"]')?.scrollIntoView({ inline: "nearest", block: "nearest" });
  }, [chosen]);
  const onKey = (e: KeyboardEvent<HTMLElement>) => {
    const key = searching ? "" : letterOf(e);
    if (key === "t") say("take");
    else if (key === "n") say("new");
    else if (key === "l") say("leave_out");
    else if (key === "u") undo();
    else if (key === "arrowright") go(1);
    else if (key === "arrowleft") go(-1);
    else if (/^[1-9]$/.test(key) && d && Number(key) <= d.candidates.length) setChosen(Number(key) - 1);
    else return;
    e.preventDefault();
  };

  if (!list.data) return list.error ? <Wrong error={list.error} className="m-4" /> : <Loading what="the questions" />;
  if (!q)
    return (
      <Empty title={band === "all" ? "Nothing is asked" : "No such questions"}>
        {band === "all" ? "Every row is clear." : "Others may be open."}{" "}
        {band !== "all" && (
          <button type="button" className="mr-2 text-act underline" onClick={() => setBand("all")}>
            Show all questions
          </button>
        )}
        <button type="button" className="text-act" onClick={p.onEnd}>
          Back to the check
        </button>
      </Empty>
    );
  return (
    <section
      ref={box}
      aria-label="Question"
      tabIndex={-1}
      onKeyDown={onKey}
      className="flex min-h-0 flex-col bg-sheet focus-visible:outline-none"
    >
      <header className="flex items-center gap-2 border-b border-line bg-ask-soft px-4 py-1.5">
        <Button look="quiet" aria-label="Question before" className="px-1!" disabled={at === 0} onClick={() => go(-1)}>
          <ChevronLeft size={16} />
        </Button>
        <span className="figures whitespace-nowrap">
          <b className="font-semibold">{count(at + 1)}</b> of {count(list.data.count)}
          <span className="text-ink-soft"> · {count(list.data.count - list.data.open)} answered</span>
        </span>
        <Button look="quiet" aria-label="Next question" className="px-1!" disabled={at >= all.length - 1} onClick={() => go(1)}>
          <ChevronRight size={16} />
        </Button>
        <span className="truncate font-medium text-ask">
          Row {q.row}
          {t && severalDrafts(i) && `, ${t.label.toLowerCase()}`}: {shownNow ? d.message : "…"}
        </span>
        {q.answer?.choice && (
          <span className="ml-auto flex items-center gap-2 whitespace-nowrap">
            Answered: {choiceWords[q.answer.choice]} {q.answer.record ?? (q.answer.other_row ? `row ${q.answer.other_row}` : "")}
            <Button onClick={() => acts.back.mutate([q.row])}>Take it back</Button>
          </span>
        )}
        <span className={cx("w-44 shrink-0", !q.answer?.choice && "ml-auto")}>
          <Choose label="Which questions" className="h-7!" value={band} options={bands} onChange={setBand} />
        </span>
        <Button look="quiet" onClick={p.onEnd}>
          Close
        </Button>
      </header>
      <Wrong error={acts.answer.error ?? acts.back.error ?? shown.error} className="m-2" />
      <div className="min-h-0 flex-1 overflow-auto">
        {shownNow && (
          <table className="w-full table-fixed" style={{ minWidth: 136 + 190 * (d.candidates.length + 1) }}>
            <colgroup>
              <col className="w-34" />
              <col />
              {d.candidates.map((c) => (
                <col key={(c.record ?? "") + String(c.row ?? "")} />
              ))}
            </colgroup>
            <thead className="sticky top-0 bg-sheet">
              <tr className="border-b border-line text-left align-top">
                <td />
                <th scope="col" className="px-3 py-2 font-normal">
                  <span className="block text-[12px] text-ink-soft">The row</span>
                  <span className="font-head text-[15px]">Row {d.row}</span>
                </th>
                {d.candidates.map((c, n) => (
                  <CandidateHead
                    key={(c.record ?? "") + String(c.row ?? "")}
                    c={c}
                    n={n}
                    on={n === chosen}
                    onChoose={() => {
                      setChosen(n);
                      setKept(undefined);
                    }}
                  />
                ))}
              </tr>
            </thead>
            <tbody>
              {d.values
                .filter((v) => v.after || d.candidates.some((c) => c.values?.[v.field]))
                .map((v) => (
                  <tr key={v.field} className="border-b border-line align-top">
                    <th scope="row" className="px-3 py-1 text-left text-[12px] font-normal text-ink-soft">
                      {v.label}
                    </th>
                    <td dir="auto" className="px-3 py-1 break-words">
                      {v.after || <span className="text-ink-faint">–</span>}
                    </td>
                    {d.candidates.map((c, n) => {
                      const there = c.values?.[v.field] ?? "";
                      const differs = !!there && !!v.after && there.toLowerCase() !== v.after.toLowerCase();
                      const stays = keep.includes(v.field);
                      return (
                        <td
                          key={n}
                          dir="auto"
                          className={cx("px-3 py-1 break-words", n !== chosen && "opacity-60", differs && "bg-ask-soft")}
                        >
                          {there || <span className="text-ink-faint">–</span>}
                          {differs && n === chosen && !c.row && (
                            <label className="mt-0.5 flex items-center gap-1.5 text-[12px] text-ink-soft">
                              <input
                                type="checkbox"
                                checked={stays}
                                onChange={() => setKept(stays ? keep.filter((k) => k !== v.field) : [...keep, v.field])}
                              />
                              {stays ? "stays" : `becomes ${v.after ?? ""}`}
                            </label>
                          )}
                        </td>
                      );
                    })}
                  </tr>
                ))}
              <tr className="align-top">
                <th scope="row" className="px-3 py-2 text-left text-[12px] font-normal text-ink-soft">
                  Why
                </th>
                <td className="px-3 py-2 text-[12px] text-ink-soft">
                  Each figure is the weight of the evidence: one more doubles the odds.
                </td>
                {d.candidates.map((c, n) => (
                  <td key={n} className={cx("px-3 py-2 text-[12px]", n !== chosen && "opacity-60")}>
                    <ul>
                      {c.says.map((s) => (
                        <li key={s} className={cx(s.includes("(-") && "text-ask")}>
                          {s}
                        </li>
                      ))}
                    </ul>
                    {c.against && c.against.length > 0 && (
                      <p className="mt-1 font-medium text-ask">Not taken: {c.against.join(", ")}.</p>
                    )}
                  </td>
                ))}
              </tr>
            </tbody>
          </table>
        )}
      </div>
      <footer className="flex flex-wrap items-center gap-2 border-t border-line px-4 py-2">
        <Button look="act" disabled={!candidate || acts.answer.isPending} onClick={() => say("take")}>
          It is {candidate?.record ?? (candidate?.row ? `row ${candidate.row}` : "")} <Key k="T" />
        </Button>
        <Button disabled={acts.answer.isPending} onClick={() => say("new")}>
          A new record <Key k="N" />
        </Button>
        <Button disabled={acts.answer.isPending} onClick={() => say("leave_out")}>
          Leave the row out <Key k="L" />
        </Button>
        {t && (
          <Button look="quiet" onClick={() => setSearching(true)}>
            Another record…
          </Button>
        )}
        {last && (
          <Button look="quiet" disabled={acts.back.isPending} onClick={undo}>
            Undo the last <Key k="U" />
          </Button>
        )}
        {d && likeThis > 1 && (
          <span className="w-44">
            <Choose
              label="The same for all like this"
              className="h-8!"
              value=""
              placeholder={`All ${count(likeThis)} like this…`}
              options={[
                { value: "take", label: "it is the best candidate" },
                { value: "new", label: "a new record each" },
                { value: "leave_out", label: "leave them out" },
              ]}
              onChange={(v) => setMany(v as Answer["choice"])}
            />
          </span>
        )}
        <span className="ml-auto text-[12px] text-ink-soft">
          <Key k="←" /> <Key k="→" /> walk{d && d.candidates.length > 1 ? `, 1 to ${d.candidates.length} choose` : ""}
        </span>
      </footer>
      <Confirm
        open={many !== undefined}
        title={`Answer ${count(likeThis)} questions alike?`}
        yes={
          many === "take"
            ? `Take ${count(likeThis)} as they are found`
            : many === "new"
              ? `${count(likeThis)} new records`
              : `Leave ${count(likeThis)} out`
        }
        onYes={() => {
          if (many) acts.many.mutate({ choice: many, ...alikeThis });
          setMany(undefined);
        }}
        onNo={() => setMany(undefined)}
      >
        They are the open questions of this kind where the same speaks against the best candidate
        {candidate?.against?.length ? `: ${candidate.against.join(", ")}` : ""}. Each answer can be taken back.
      </Confirm>
      {searching && t && (
        <OtherRecord
          workspace={workspace}
          t={t}
          onClose={() => setSearching(false)}
          onTake={(id) => {
            setSearching(false);
            say("take", id);
          }}
        />
      )}
    </section>
  );
}

function Key({ k }: { k: string }) {
  return <kbd className="rounded border border-current px-1 font-mono text-[11px] opacity-70">{k}</kbd>;
}

function CandidateHead({ c, n, on, onChoose }: { c: Candidate; n: number; on: boolean; onChoose: () => void }) {
  return (
    <th scope="col" className="p-1 font-normal">
      <button
        type="button"
        aria-pressed={on}
        onClick={onChoose}
        className={cx(
          "w-full rounded-md border px-2 py-1 text-left",
          on ? "border-act bg-act-soft" : "border-transparent hover:border-line-strong",
        )}
      >
        <span className="figures flex justify-between gap-2 text-[12px] text-ink-soft">
          <span>
            {n + 1}. {c.record ?? "an earlier row"}
          </span>
          <span className="font-semibold text-ask">{alike(c.percent)} alike</span>
        </span>
        <span dir="auto" className="block truncate font-head text-[15px]">
          {c.title}
        </span>
      </button>
    </th>
  );
}

/** Says by hand which record it is. */
function OtherRecord(p: { workspace: string; t: RecordType; onClose: () => void; onTake: (id: string) => void }) {
  return (
    <Dialog open onClose={p.onClose} title={`Which ${p.t.label.toLowerCase()} is it?`}>
      <FindRecord workspace={p.workspace} t={p.t} onTake={p.onTake} />
    </Dialog>
  );
}
