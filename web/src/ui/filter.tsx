import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Plus, X } from "lucide-react";
import { useEffect, useState } from "react";
import { api, must, type Condition, type How, type ViewColumn } from "../api/client";
import { Button, Choose, cx, inputClass, Wrong } from "./parts";

const words: Record<How, string> = {
  is: "is",
  is_not: "is not",
  one_of: "is one of",
  none_of: "is none of",
  contains: "contains",
  begins: "begins with",
  ends: "ends with",
  less: "is less than",
  at_most: "is at most",
  more: "is more than",
  at_least: "is at least",
  has: "has",
  has_not: "has not",
  filled: "is filled",
  blank: "is blank",
};
const dated: Partial<Record<How, string>> = {
  less: "is before",
  at_most: "is up to",
  more: "is after",
  at_least: "is from",
};

function isDate(c: ViewColumn | undefined): boolean {
  return c?.field.type === "date" || c?.field.type === "date_time";
}

export function useColumns(workspace: string, type: string) {
  return useQuery({
    queryKey: ["columns", workspace, type],
    queryFn: () => must(api.GET("/workspaces/{workspace}/records/{type}/columns", { params: { path: { workspace, type } } })),
    staleTime: 30_000,
  });
}

/** What a filter says, and how many records it chooses. */
export function useFilter(workspace: string, type: string, filter: string, text: string, madeBy: number) {
  return useQuery({
    queryKey: ["filter", workspace, type, filter, text, madeBy],
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () => readFilter(workspace, type, { filter, text, import: madeBy }),
  });
}

function readFilter(
  workspace: string,
  type: string,
  ask: { filter?: string; conditions?: Condition[]; text?: string; import?: number },
) {
  return must(api.POST("/workspaces/{workspace}/records/{type}/filter", { params: { path: { workspace, type } }, body: ask }));
}

/** A condition can be judged when it has what it is compared with. */
function whole(c: Condition): boolean {
  return c.how === "filled" || c.how === "blank" || (c.values ?? []).some((v) => v !== "");
}

/**
 * Builds a filter: conditions that all hold, chosen one by one, or the same as a
 * text in CEL, which can say more. Each shows what the other makes.
 */
export function FilterPanel(p: {
  workspace: string;
  type: string;
  filter: string;
  onChange: (filter: string) => void;
  onClose: () => void;
}) {
  const { workspace, type } = p;
  const columns = useColumns(workspace, type).data?.columns ?? [];
  const read = useFilter(workspace, type, p.filter, "", 0);
  const [list, setList] = useState<Condition[]>();
  const [text, setText] = useState(p.filter);
  const [asText, setAsText] = useState<boolean>();
  const [error, setError] = useState<unknown>();
  useEffect(() => setText(p.filter), [p.filter]);
  const plain = read.data?.filter === p.filter ? read.data.plain : undefined;
  const conditions = list ?? (plain ? (read.data?.conditions ?? []) : []);
  const written = asText ?? plain === false;

  const change = (next: Condition[]) => {
    setList(next);
    const ready = next.filter(whole);
    if (ready.length < next.length) return; // the rest is still being chosen
    setError(undefined);
    if (ready.length === 0) return p.onChange("");
    readFilter(workspace, type, { conditions: ready }).then((r) => p.onChange(r.filter), setError);
  };
  const apply = () => {
    setError(undefined);
    readFilter(workspace, type, { filter: text }).then(() => {
      setList(undefined);
      p.onChange(text.trim());
    }, setError);
  };
  return (
    <section aria-label="Filter" className="mb-3 rounded-lg border border-line bg-sheet px-4 py-3">
      {written ? (
        <textarea
          aria-label="Filter in CEL"
          className={cx(inputClass, "figures h-16 w-full resize-y py-1.5")}
          value={text}
          spellCheck={false}
          autoFocus={asText === true}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === "Enter" && !e.shiftKey) {
              e.preventDefault();
              apply();
            }
          }}
        />
      ) : (
        <ul className="grid gap-2">
          {conditions.map((c, n) => (
            <ConditionRow
              key={n}
              c={c}
              n={n}
              columns={columns}
              onChange={(next) => change(conditions.map((x, m) => (m === n ? next : x)))}
              onRemove={() => change(conditions.filter((_, m) => m !== n))}
            />
          ))}
          {conditions.length === 0 && <li className="text-ink-soft">All records. Add a condition to choose among them.</li>}
        </ul>
      )}
      {!!error && <Wrong error={error} className="mt-2" />}
      {!error && read.error && <Wrong error={read.error} className="mt-2" />}
      <div className="mt-3 flex flex-wrap items-center gap-2">
        {written ? (
          <>
            <Button look="act" onClick={apply}>
              Apply
            </Button>
            <Button
              disabled={plain === false}
              title={plain === false ? "It says more than conditions that all hold." : undefined}
              onClick={() => setAsText(false)}
            >
              As conditions
            </Button>
          </>
        ) : (
          <>
            <Button
              onClick={() => {
                const first = columns[0];
                if (first) setList([...conditions, { field: first.name, how: first.hows[0] ?? "is", values: [""] }]);
              }}
            >
              <Plus size={14} aria-hidden /> Add a condition
            </Button>
            <Button onClick={() => setAsText(true)}>As text</Button>
          </>
        )}
        {p.filter && (
          <Button
            look="quiet"
            onClick={() => {
              setList(undefined);
              setAsText(undefined);
              setError(undefined);
              p.onChange("");
            }}
          >
            All records again
          </Button>
        )}
        {!written && p.filter && (
          <code dir="ltr" title="The filter as text" className="figures min-w-0 flex-1 truncate text-[12px] text-ink-soft">
            {p.filter}
          </code>
        )}
        <Button look="quiet" className="ml-auto" onClick={p.onClose}>
          Close
        </Button>
      </div>
    </section>
  );
}

function ConditionRow(p: {
  c: Condition;
  n: number;
  columns: ViewColumn[];
  onChange: (c: Condition) => void;
  onRemove: () => void;
}) {
  const { c } = p;
  const at = p.columns.find((x) => x.name === c.field);
  const many = c.how === "one_of" || c.how === "none_of";
  const value = (c.values ?? []).join(", ");
  const choices = at?.field.choices ?? [];
  const options =
    at?.field.type === "yes_no"
      ? [
          { value: "true", label: "yes" },
          { value: "false", label: "no" },
        ]
      : choices.map((x) => ({ value: x.code, label: x.label }));
  return (
    <li className="flex flex-wrap items-center gap-2">
      <Choose
        label={`Field of condition ${p.n + 1}`}
        className="w-64!"
        value={c.field}
        options={p.columns.map((x) => ({ value: x.name, label: x.label }))}
        onChange={(field) => {
          const to = p.columns.find((x) => x.name === field);
          p.onChange({ field, how: to?.hows[0] ?? "is", values: [""] });
        }}
      />
      <Choose
        label={`How condition ${p.n + 1} compares`}
        className="w-40!"
        value={c.how}
        options={(at?.hows ?? [c.how]).map((h) => ({ value: h, label: (isDate(at) && dated[h]) || words[h] }))}
        onChange={(how) => p.onChange({ ...c, how, values: how === "filled" || how === "blank" ? [] : (c.values ?? [""]) })}
      />
      {c.how !== "filled" &&
        c.how !== "blank" &&
        (options.length > 0 && !many ? (
          <Choose
            label={`Value of condition ${p.n + 1}`}
            className="w-56!"
            value={value}
            options={options}
            onChange={(v) => p.onChange({ ...c, values: [v] })}
          />
        ) : (
          <Typed
            label={`Value of condition ${p.n + 1}`}
            value={value}
            hint={hintFor(at, many)}
            onChange={(v) =>
              p.onChange({
                ...c,
                values: many
                  ? v
                      .split(",")
                      .map((x) => x.trim())
                      .filter(Boolean)
                  : [v.trim()],
              })
            }
          />
        ))}
      <button
        type="button"
        aria-label={`Take condition ${p.n + 1} out`}
        className="rounded p-1 text-ink-soft hover:bg-act-soft"
        onClick={p.onRemove}
      >
        <X size={15} aria-hidden />
      </button>
    </li>
  );
}

function hintFor(at: ViewColumn | undefined, many: boolean): string {
  if (isDate(at)) return "2026-03-31, or today(-30)";
  if (at?.field.type === "reference") return many ? "Ids, a comma between" : "An id, such as ACC-12";
  if (at?.field.type === "country") return many ? "NO, SE" : "A code, such as NO";
  return many ? "Values, a comma between" : "";
}

/** A text that counts when it is left or Enter is pressed. */
function Typed(p: { label: string; value: string; hint: string; onChange: (v: string) => void }) {
  const [v, setV] = useState(p.value);
  useEffect(() => setV(p.value), [p.value]);
  const settle = () => v !== p.value && p.onChange(v);
  return (
    <input
      aria-label={p.label}
      className={cx(inputClass, "w-56!")}
      placeholder={p.hint}
      value={v}
      onChange={(e) => setV(e.target.value)}
      onBlur={settle}
      onKeyDown={(e) => e.key === "Enter" && settle()}
    />
  );
}
