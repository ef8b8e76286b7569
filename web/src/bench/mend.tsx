import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Download, Upload } from "lucide-react";
import { useRef, useState } from "react";
import { api, must, type Import, type ProblemCount, type RecordType, type Replacement } from "../api/client";
import { act } from "../api/queries";
import { Button, Choose, cx, Dialog, inputClass, Labelled, Wrong } from "../ui/parts";
import { toast } from "../ui/toast";
import { count } from "../ui/verdict";
import { HomeOffer } from "./home";
import { CellEditor, fieldAt, hasNear, useNear } from "./cell";
import { useEditing } from "./edited";
import { labelOf, originOf, repeatChoices, routineOf, setDraft, setOriginIn, spot, type Kind, type Spot } from "./mapping";
import { useAnswers } from "./questions";
import { ValuesDialog } from "./values";

/** Problems of values that may be right as they stand. */
const doubts = [
  "name_order",
  "perhaps_nothing",
  "lost_letters",
  "made_a_date",
  "made_a_number",
  "short_code",
  "misspelt_domain",
  "bad_place",
  "other_place",
  "other_name",
  "same_as_above",
  "not_to_use",
  "lost_zero",
  "footnote_mark",
];

/** What changes cells; the rows that it touches are checked again before it answers. */
export function useEdits(workspace: string, id: number) {
  const client = useQueryClient();
  const path = { workspace, import: id };
  const onSuccess = async () => {
    await client.invalidateQueries({ queryKey: ["import", workspace, id] });
    await Promise.all(
      ["rows", "row", "edits", "replacing"].map((k) => client.invalidateQueries({ queryKey: [k, workspace, id] })),
    );
  };
  return {
    edit: useMutation({
      mutationFn: (cells: { row: number; column: string; value: string }[]) =>
        must(api.POST("/workspaces/{workspace}/imports/{import}/edits", { params: { path }, body: { cells } })),
      onSuccess,
    }),
    back: useMutation({
      mutationFn: (query: { row?: number[]; column?: string }) =>
        must(api.DELETE("/workspaces/{workspace}/imports/{import}/edits", { params: { path, query } })),
      onSuccess,
    }),
    replace: useMutation({
      mutationFn: (body: Replacement) =>
        must(api.POST("/workspaces/{workspace}/imports/{import}/edits/replace", { params: { path }, body })),
      onSuccess,
    }),
    bring: useMutation({
      mutationFn: (file: File) =>
        must(
          api.POST("/workspaces/{workspace}/imports/{import}/mended", {
            params: { path, query: { name: file.name } },
            body: file as unknown as string,
            bodySerializer: (b) => b as unknown as Blob,
            headers: { "Content-Type": "application/octet-stream" },
          }),
        ),
      onSuccess,
    }),
  };
}

/** What a replacement would change, without changing it. */
function useReplacing(workspace: string, i: Import, body: Replacement, on: boolean) {
  return useQuery({
    queryKey: ["replacing", workspace, i.id, i.checked_at, body],
    enabled: on,
    placeholderData: (was) => was,
    retry: false,
    queryFn: () =>
      must(
        api.POST("/workspaces/{workspace}/imports/{import}/edits/replace", {
          params: { path: { workspace, import: i.id } },
          body: { ...body, preview: true },
        }),
      ),
  });
}

/** Problems that one pattern puts right in all cells. */
const patterns: Record<string, { one: string; many: string; find: string; replace: string }> = {
  lost_zero: { one: "Put the zero back", many: "Put the zeros back", find: "^", replace: "0" },
  made_a_number: { one: "Take the signs away", many: "Take the signs away", find: "\\.0+$|[,'’]", replace: "" },
  footnote_mark: {
    one: "Take the mark away",
    many: "Take the marks away",
    find: "^[*†‡#¹²³]+\\s*|\\s*[*†‡#¹²³]+$",
    replace: "",
  },
  beside_name: {
    one: "Keep only the name",
    many: "Keep only the names",
    find: "\\s*\\([^()]*\\)$|\\s+[-–—|]\\s.*$|^\\d+\\.\\s(?:\\pL+\\.\\s)*|^(?:[[:lower:]][\\pL.]*\\.\\s)+",
    replace: "",
  },
};

const shownValues = 6;
const kindButtons = "flex flex-wrap gap-1.5 [&_button]:h-7 [&_button]:px-2 [&_button]:text-[12px]";
const dayWords = { first_day: "first day", last_day: "last day" };

/** Mends all cells with one kind of problem, where they are shown. */
export function MendKind(p: { workspace: string; i: Import; kinds: Kind[]; types: RecordType[]; problem: ProblemCount }) {
  const { workspace, i, kinds, problem } = p;
  const { editing } = useEditing();
  const edits = useEdits(workspace, i.id);
  const answers = useAnswers(workspace, i.id);
  const [asking, setAsking] = useState<"values" | "replace" | "blanks">();
  const at: Spot | undefined = problem.field
    ? kinds.length > 1
      ? problem.field
      : spot(kinds[0]?.name ?? "", problem.field)
    : undefined;
  const of = fieldAt(kinds, at);
  const origin = at && of ? originOf(i, at) : undefined;
  const column = origin?.from?.length === 1 ? (origin.from[0] ?? "") : "";
  const where = { problem: problem.code, ...(problem.field ? { field: problem.field } : {}) };
  const values = useReplacing(workspace, i, { column, how: "any", replace: "", ...where }, column !== "" && !problem.light);
  const can = act(i, "edit").can;
  if (!can) return null;
  const change = (what: string, part: Partial<NonNullable<typeof origin>>) =>
    at && void editing.put(what, setOriginIn(routineOf(i), at, { ...origin, ...part })).catch(() => undefined);
  const told = (n: number) => toast(`${count(n)} ${n === 1 ? "cell" : "cells"} changed.`, () => edits.back.mutate({ column }));
  const listed = values.data?.values.slice(0, shownValues) ?? [];
  const meant = of !== undefined && (hasNear(of.field) || !!of.field.choices);
  const trifle =
    of && !of.field.required && !of.field.key && (of.field.type !== "reference" || problem.code === "link_not_found") && origin;
  const doubtful = problem.code === "doubtful_value" && origin !== undefined;
  const missing = problem.code === "required_missing";
  const target = of?.field.to ? p.types.find((t) => t.name === of.field.to) : undefined;
  const creatable = problem.code === "link_not_found" && column !== "" && !origin?.find && target && !target.in_use && !i.written;
  const asItStands = doubts.includes(problem.code);
  const put = patterns[problem.code];
  const meansAll = (asItStands || ["partial_date", "day_number", "rough_number"].includes(problem.code)) && !!origin;
  return (
    <div className="mt-1 mb-2 ml-4 space-y-2 border-l-2 border-ask pl-3 text-[12.5px]">
      {problem.code === "bad_phone" && <HomeOffer workspace={workspace} i={i} />}
      {meansAll && (
        <div className={kindButtons}>
          {asItStands && (
            <Button
              title={
                problem.code === "name_order"
                  ? "Names are taken in the order in which they stand, here and in later files."
                  : "Such values are right so, here and in later files."
              }
              onClick={() => change(`${of?.field.label ?? "the field"} is taken as it stands`, { doubtful: "take" })}
            >
              Take {problem.count === 1 ? "it" : "them"} as {problem.count === 1 ? "it stands" : "they stand"}
            </Button>
          )}
          {problem.code === "partial_date" &&
            (["first_day", "last_day"] as const).map((day) => (
              <Button
                key={day}
                onClick={() => change(`a month in ${of?.field.label ?? "the field"} means its ${dayWords[day]}`, { spans: day })}
              >
                The {dayWords[day]} is meant
              </Button>
            ))}
          {problem.code === "day_number" &&
            (["since_1900", "since_1904"] as const).map((since) => (
              <Button
                key={since}
                title="As spreadsheet programs count days, here and in later files."
                onClick={() => change(`numbers in ${of?.field.label ?? "the field"} are days`, { day_numbers: since })}
              >
                Days counted from {since.slice(-4)}
              </Button>
            ))}
          {problem.code === "rough_number" &&
            (["lowest", "middle", "highest"] as const).map((end) => (
              <Button
                key={end}
                onClick={() => change(`a range in ${of?.field.label ?? "the field"} means its ${end} number`, { rough: end })}
              >
                The {end} is meant
              </Button>
            ))}
        </div>
      )}
      {listed.length > 0 && !problem.light && (
        <ul aria-label="What these cells say" className="space-y-1.5">
          {listed.map((v) => (
            <OneValue
              key={v.was}
              {...p}
              column={column}
              at={of}
              text={v.was}
              n={v.count}
              onMeans={(to) =>
                meant
                  ? change(`“${v.was}” means ${to}`, { values: { ...origin?.values, [v.was]: to } })
                  : edits.replace.mutate(
                      { column, how: "whole", find: v.was, replace: to, ...where },
                      { onSuccess: (r) => told(r.count) },
                    )
              }
            />
          ))}
          {(values.data?.values.length ?? 0) > shownValues && <li className="text-ink-faint">… and others</li>}
        </ul>
      )}
      {problem.code === "duplicate_row" && kinds.length === 1 && (
        <div className={kindButtons}>
          {repeatChoices
            .filter((x) => ["merge", "first", "last"].includes(x.value))
            .map((x) => (
              <Button
                key={x.value}
                title="So it is with all rows that are for one record, here and in later files; see Matching."
                onClick={() =>
                  void editing
                    .put(`of rows for one record ${x.label}`, setDraft(routineOf(i), kinds[0]?.name ?? "", { repeats: x.value }))
                    .catch(() => undefined)
                }
              >
                {x.label[0]?.toUpperCase() + x.label.slice(1)}
              </Button>
            ))}
        </div>
      )}
      <div className={kindButtons}>
        {column && meant && <Button onClick={() => setAsking("values")}>What the words mean…</Button>}
        {column && put && (
          <Button
            disabled={edits.replace.isPending}
            onClick={() =>
              edits.replace.mutate(
                { column, how: "pattern", find: put.find, replace: put.replace, ...where },
                { onSuccess: (r) => told(r.count) },
              )
            }
          >
            {problem.count === 1 ? put.one : put.many}
          </Button>
        )}
        {column && (problem.code === "same_as_above" || missing) && (
          <Button
            disabled={edits.replace.isPending}
            title="Each takes what the next cell above says that says something of its own."
            onClick={() =>
              edits.replace.mutate({ column, how: "above", replace: "", ...where }, { onSuccess: (r) => told(r.count) })
            }
          >
            Take what stands above
          </Button>
        )}
        {column && !missing && <Button onClick={() => setAsking("replace")}>Find and replace…</Button>}
        {missing && at && <Button onClick={() => setAsking("blanks")}>One value for blanks…</Button>}
        {column && !missing && !problem.light && (
          <Button
            disabled={edits.replace.isPending}
            onClick={() =>
              edits.replace.mutate({ column, how: "any", replace: "", ...where }, { onSuccess: (r) => told(r.count) })
            }
          >
            Blank {problem.count === 1 ? "it" : `these ${count(problem.count)}`}
          </Button>
        )}
        {doubtful && (
          <>
            <Button
              title={`The rows' ${of?.field.label ?? "values"} take the place of what is there, here and in later files.`}
              onClick={() => change(`a doubtful ${of?.field.label ?? "value"} is taken`, { doubtful: "take" })}
            >
              Take {problem.count === 1 ? "it" : "them"} all the same
            </Button>
            {problem.light ? (
              <Button onClick={() => change(`a doubtful ${of?.field.label ?? "value"} holds the row`, { doubtful: "hold" })}>
                Hold these rows
              </Button>
            ) : (
              <Button onClick={() => change(`what is there stays`, { doubtful: "keep" })}>Keep what is there</Button>
            )}
          </>
        )}
        {creatable && (
          <Button
            title={`Each row becomes a ${target.label.toLowerCase()} as well, made where none is found; near names are asked about, and none that is there is changed.`}
            onClick={() => change(`${target.plural.toLowerCase()} that are missing are created`, { unreadable: "create" })}
          >
            Create the missing {target.plural.toLowerCase()}
          </Button>
        )}
        {trifle && !doubtful && !problem.light && !missing && (
          <Button
            title={`Rows with a ${of.field.label} that cannot be read are loaded without it, here and in later files.`}
            onClick={() => change(`rows load without a ${of.field.label} that cannot be read`, { unreadable: "leave_out" })}
          >
            Load without it
          </Button>
        )}
        {problem.light && !doubtful && (
          <Button onClick={() => change(`a ${of?.field.label ?? ""} that cannot be read holds the row`, { unreadable: "hold" })}>
            Hold these rows
          </Button>
        )}
        {!problem.light && (
          <Button
            disabled={answers.many.isPending}
            onClick={() =>
              answers.many.mutate(
                { choice: "leave_out", verdict: "hold", ...where },
                { onSuccess: (kept) => toast(`${count(kept.count)} rows are left out at the next check.`) },
              )
            }
          >
            Leave {problem.count === 1 ? "the row" : "the rows"} out
          </Button>
        )}
      </div>
      <Wrong error={edits.replace.error ?? answers.many.error ?? values.error} />
      {asking === "values" && of && at && (
        <ValuesDialog
          workspace={workspace}
          i={i}
          kind={of.kind}
          at={at}
          types={p.types}
          onClose={() => setAsking(undefined)}
          onSave={(list) => change(`what ${column} means`, { values: list })}
        />
      )}
      {asking === "replace" && (
        <ReplaceDialog workspace={workspace} i={i} column={column} where={where} onClose={() => setAsking(undefined)} />
      )}
      {asking === "blanks" && at && of && (
        <BlanksDialog
          label={labelOf(kinds, problem.field)}
          start={origin?.otherwise ?? ""}
          onClose={() => setAsking(undefined)}
          onSave={(text) =>
            origin?.from?.length || origin?.compute
              ? change(`blanks of ${of.field.label} are ${text}`, { otherwise: text })
              : void editing
                  .put(`${of.field.label} is ${text}`, setOriginIn(routineOf(i), at, { fixed: text }))
                  .catch(() => undefined)
          }
        />
      )}
    </div>
  );
}

/** One of the texts that are wrong, what it may have meant, and what it is to be. */
function OneValue(p: {
  workspace: string;
  i: Import;
  column: string;
  at: ReturnType<typeof fieldAt>;
  text: string;
  n: number;
  onMeans: (to: string) => void;
}) {
  const near = useNear(p.workspace, p.i.id, p.at?.kind.name ?? "", p.at?.field, p.text);
  return (
    <li>
      <div className="flex items-baseline gap-2">
        <b className="min-w-0 font-medium break-words" dir="auto">
          “{p.text.length > 80 ? `${p.text.slice(0, 80)}…` : p.text}”
        </b>
        {p.n > 1 && <span className="figures shrink-0 text-ink-faint">{count(p.n)} ×</span>}
      </div>
      <div className="mt-0.5 flex flex-wrap items-center gap-1">
        <CellEditor
          stays
          workspace={p.workspace}
          importId={p.i.id}
          label={`${p.column}: what “${p.text}” is to be`}
          kind={p.at?.kind}
          field={p.at?.field}
          text={p.at && (hasNear(p.at.field) || p.at.field.choices) ? "" : p.text}
          className="w-full max-w-60"
          onDone={(text, move) => text !== undefined && move === "down" && text !== p.text && p.onMeans(text)}
        />
        {near.data?.near.slice(0, 2).map((n) => (
          <button
            key={n.text}
            type="button"
            className="rounded-full border border-line-strong px-2 py-0.5 hover:border-act hover:bg-act-soft"
            onClick={() => p.onMeans(n.text)}
          >
            {n.label}?
          </button>
        ))}
      </div>
    </li>
  );
}

const hows = [
  { value: "whole", label: "whole cells" },
  { value: "part", label: "a part of the cell" },
  { value: "pattern", label: "a pattern (RE2)" },
  { value: "above", label: "take what stands above" },
] as const;

/** Find and replace in a column, with what it would change. */
export function ReplaceDialog(p: {
  workspace: string;
  i: Import;
  column: string;
  where: { problem?: string; field?: string };
  onClose: () => void;
}) {
  const edits = useEdits(p.workspace, p.i.id);
  const [how, setHow] = useState<Replacement["how"]>("part");
  const [find, setFind] = useState("");
  const [to, setTo] = useState("");
  const [only, setOnly] = useState(true);
  const some = Object.keys(p.where).length > 0;
  const above = how === "above";
  const body: Replacement = { column: p.column, how, find, replace: above ? "" : to, ...(some && only ? p.where : {}) };
  const asked = find !== "" || above;
  const would = useReplacing(p.workspace, p.i, body, asked);
  const n = !asked || would.error ? 0 : (would.data?.count ?? 0);
  return (
    <Dialog
      open
      wide
      unsaved={find !== "" && !edits.replace.isSuccess}
      onClose={p.onClose}
      title={`Find and replace in ${p.column}`}
      foot={
        <Button
          look="act"
          disabled={n === 0 || edits.replace.isPending || would.isFetching}
          onClick={() =>
            edits.replace.mutate(body, {
              onSuccess: (r) => {
                toast(`${count(r.count)} cells changed.`, () => edits.back.mutate({ column: p.column }));
                p.onClose();
              },
            })
          }
        >
          Change {count(n)} {n === 1 ? "cell" : "cells"}
        </Button>
      }
    >
      <div className="grid grid-cols-[1fr_1fr_180px] gap-3 max-[700px]:grid-cols-1">
        <Labelled
          label={above ? "Cells that say" : "Find"}
          hint={above ? (some && only ? "Empty, it is all in these rows." : "Empty, it is the blank ones.") : undefined}
        >
          <input className={inputClass} value={find} onChange={(e) => setFind(e.target.value)} />
        </Labelled>
        <Labelled
          label="Replace with"
          hint={
            above
              ? "Each takes what the next cell above says."
              : how === "pattern"
                ? "$1 is the first group."
                : "Leave it empty to take it out."
          }
        >
          <input className={inputClass} disabled={above} value={above ? "" : to} onChange={(e) => setTo(e.target.value)} />
        </Labelled>
        <div>
          <span className="mb-1 block text-[12px] font-medium text-ink-soft">How</span>
          <Choose label="How" value={how} onChange={setHow} options={[...hows]} />
        </div>
      </div>
      {some && (
        <label className="mt-2 flex items-center gap-2">
          <input type="checkbox" checked={only} onChange={(e) => setOnly(e.target.checked)} />
          only in rows with this problem
        </label>
      )}
      <Wrong error={would.error ?? edits.replace.error} className="mt-3" />
      {n > 0 && (
        <table className="mt-3 w-full">
          <caption className="sr-only">What would change</caption>
          <tbody>
            {would.data?.values.map((v) => (
              <tr key={v.was} className="border-t border-line">
                <td className="figures w-14 py-1 pr-3 text-right text-ink-soft">{count(v.count)}</td>
                <td className="py-1 break-all" dir="auto">
                  <del className="text-ink-faint">{v.was || "blank"}</del> →{" "}
                  {v.value || <span className="text-ink-faint">blank</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {asked && n === 0 && would.data && !would.error && <p className="mt-3 text-ink-soft">No cell says so.</p>}
    </Dialog>
  );
}

function BlanksDialog(p: { label: string; start: string; onClose: () => void; onSave: (text: string) => void }) {
  const [text, setText] = useState(p.start);
  return (
    <Dialog
      open
      onClose={p.onClose}
      unsaved={text !== p.start}
      title={`One value where ${p.label} is blank`}
      foot={
        <Button
          look="act"
          disabled={!text.trim()}
          onClick={() => {
            p.onSave(text.trim());
            p.onClose();
          }}
        >
          Take it for blanks
        </Button>
      }
    >
      <Labelled label={p.label} hint="It becomes part of the mapping. Check again, and it counts.">
        <input autoFocus className={inputClass} value={text} onChange={(e) => setText(e.target.value)} />
      </Labelled>
    </Dialog>
  );
}

/** Held rows as a sheet, and the way back for it. */
export function HeldSheet({ workspace, i }: { workspace: string; i: Import }) {
  const edits = useEdits(workspace, i.id);
  const input = useRef<HTMLInputElement>(null);
  const base = `/api/v1/workspaces/${workspace}/imports/${i.id}/rows`;
  const what = i.totals ? "verdict=hold" : "outcome=held";
  const came = edits.bring.data;
  return (
    <div className="mt-2 space-y-1.5">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1">
        <a className="inline-flex items-center gap-1.5 text-act" href={`${base}.xlsx?${what}`}>
          <Download size={14} aria-hidden /> Held rows as a workbook
        </a>
        <a className="inline-flex items-center gap-1.5 text-act" href={`${base}.csv?${what}`}>
          <Download size={14} aria-hidden /> as CSV
        </a>
      </div>
      <Button disabled={!act(i, "edit").can || edits.bring.isPending} onClick={() => input.current?.click()}>
        <Upload size={14} aria-hidden /> {edits.bring.isPending ? "Taking it over…" : "Bring a mended sheet back"}
      </Button>
      <input
        ref={input}
        type="file"
        aria-label="Mended sheet"
        className="sr-only"
        onChange={(e) => {
          const f = e.target.files?.[0];
          if (f) edits.bring.mutate(f);
          e.target.value = "";
        }}
      />
      <Wrong error={edits.bring.error} />
      {came && (
        <div role="status" className="rounded bg-act-soft px-2 py-1 text-[12.5px]">
          {count(came.rows)} rows of this import, {count(came.cells)} cells changed.
          {(came.columns?.length ?? 0) > 0 && ` Not taken over: ${came.columns?.join(", ")}.`}
          {came.left?.slice(0, 5).map((l) => (
            <div key={l.row} className="text-ask">
              Row {l.row} of the sheet: {l.why}.
            </div>
          ))}
          {(came.left_count ?? 0) > 5 && <div className="text-ask">… and {count((came.left_count ?? 0) - 5)} more.</div>}
        </div>
      )}
    </div>
  );
}

/** How many cells were changed, with the way back. */
export function Mended({ workspace, i }: { workspace: string; i: Import }) {
  const edits = useEdits(workspace, i.id);
  const list = useQuery({
    queryKey: ["edits", workspace, i.id, i.changed_at],
    queryFn: () =>
      must(
        api.GET("/workspaces/{workspace}/imports/{import}/edits", {
          params: { path: { workspace, import: i.id }, query: { limit: 50 } },
        }),
      ),
  });
  const [open, setOpen] = useState(false);
  const n = list.data?.count ?? 0;
  if (n === 0) return null;
  return (
    <div className="border-b border-line px-4 py-2 text-[12.5px]">
      <div className="flex flex-wrap items-center gap-2">
        <span className="mr-auto">
          {count(n)} {n === 1 ? "cell was" : "cells were"} mended; the source stays as it was.
        </span>
        <Button onClick={() => setOpen(!open)} aria-expanded={open}>
          {open ? "Hide them" : "See them"}
        </Button>
        <Button disabled={!act(i, "edit").can || edits.back.isPending} onClick={() => edits.back.mutate({})}>
          Take all back
        </Button>
      </div>
      {open && (
        <ul className="mt-2 max-h-56 space-y-1 overflow-auto">
          {list.data?.edits.map((e) => (
            <li key={`${e.row}/${e.column}`} className="flex items-baseline gap-2">
              <span className="figures w-12 shrink-0 text-ink-faint">row {e.row}</span>
              <span className="min-w-0 flex-1 break-words" title={`${e.person}, ${new Date(e.at).toLocaleString()}`}>
                {e.column}: <del className="text-ink-faint">{e.was || "blank"}</del> → {e.value || "blank"}
              </span>
              <button
                type="button"
                className={cx("shrink-0 text-act", !act(i, "edit").can && "opacity-50")}
                disabled={!act(i, "edit").can}
                onClick={() => edits.back.mutate({ row: [e.row], column: e.column })}
              >
                Take back
              </button>
            </li>
          ))}
        </ul>
      )}
      <Wrong error={edits.back.error ?? list.error} className="mt-1" />
    </div>
  );
}
