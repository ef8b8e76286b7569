import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, must, type ColumnValue, type Field, type Import, type RecordType } from "../api/client";
import { types, who } from "../api/queries";
import { nameOf } from "../ui/field";
import { DataGrid, textColumn, type GridColumn, type GridHandle } from "../ui/grid";
import { Button, Choose, cx, Dialog, inputClass, Loading, Wrong } from "../ui/parts";
import { count } from "../ui/verdict";
import { originOf, partsOf, type Kind, type Spot } from "./mapping";

const asItStands = "as it stands";
const leaveBlank = "leave blank";
const addIt = "add it";
const another = "another";

/** What every different text of a column means in a field: a choice, a record, or another text. */
export function ValuesDialog(p: {
  workspace: string;
  i: Import;
  kind: Kind;
  at: Spot;
  types: RecordType[];
  onClose: () => void;
  onSave: (values: Record<string, string>) => void;
}) {
  const { workspace, i, at } = p;
  const client = useQueryClient();
  const me = useQuery(who);
  const [draft, name] = partsOf(at);
  const origin = originOf(i, at);
  const column = origin?.from?.[0] ?? "";
  const f = p.kind.t.fields.find((x) => x.name === name);
  const [values, setValues] = useState<Record<string, string>>(origin?.values ?? {});
  const [onlyOpen, setOnlyOpen] = useState(false);
  const [finding, setFinding] = useState<string>();
  const [opened, setOpened] = useState<string>();
  const grid = useRef<GridHandle>(null);
  const shown = useQuery({
    queryKey: ["values", workspace, i.id, column, at, i.changed_at, p.kind.t.version],
    queryFn: () =>
      must(
        api.GET("/workspaces/{workspace}/imports/{import}/values", {
          params: { path: { workspace, import: i.id }, query: { column, draft, field: name } },
        }),
      ),
  });
  const add = useMutation({
    mutationFn: (text: string) =>
      must(
        api.POST("/workspaces/{workspace}/types/{type}/fields/{field}/choices", {
          params: { path: { workspace, type: p.kind.t.name, field: name } },
          body: { code: nameOf(text) || text, label: text },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: types(workspace).queryKey }),
  });
  if (!f) return null;
  const to = p.types.find((t) => t.name === f.to);
  const said = (text: string) => values[text.trim()];
  const means = (text: string, meaning?: string) => said(text) ?? meaning;
  const rows = shown.data?.values ?? [];
  const open = rows.filter((v) => means(v.text, v.meaning) === undefined || means(v.text, v.meaning) === "");
  const listed = onlyOpen ? open : rows;
  const guessed = rows.filter((v) => v.guess && said(v.text) === undefined);
  const put = (text: string, v: string | undefined) => {
    const rest = Object.fromEntries(Object.entries(values).filter(([w]) => w !== text));
    setValues(v === undefined ? rest : { ...rest, [text]: v });
  };
  const choose = (text: string, v: string) => {
    if (v === asItStands) put(text, undefined);
    else if (v === leaveBlank) put(text, "");
    else if (v === another) setFinding(text);
    else if (v === addIt) add.mutate(text, { onSuccess: () => put(text, undefined) });
    else put(text, v);
  };
  const optionsFor = (v: { text: string; meaning?: string; label?: string }) => {
    const own = said(v.text);
    const list = [
      { value: asItStands, label: v.meaning ? `${v.label || v.meaning}` : "not known: held" },
      { value: leaveBlank, label: "leave it blank" },
    ];
    if (f.choices) {
      for (const c of f.choices) if (c.code !== v.meaning) list.push({ value: c.code, label: c.label });
      if (!v.meaning && me.data?.role === "administrator") list.push({ value: addIt, label: `add “${v.text}” to the choices` });
    } else {
      if (own) list.push({ value: own, label: own });
      list.push({ value: another, label: to ? "another record…" : "another text…" });
    }
    return list;
  };
  const gridColumns: GridColumn<ColumnValue>[] = [
    textColumn({ id: "text", label: "Text", width: 240, text: (v) => v.text }),
    textColumn({ id: "count", label: "Cells", width: 80, right: true, text: (v) => count(v.count) }),
    {
      id: "meaning",
      label: "Means",
      width: 280,
      text: (v) => means(v.text, v.label || v.meaning) ?? "",
      cell: (v) => {
        const own = said(v.text);
        return (
          <div className="p-1">
            <Choose
              label={`Meaning of ${v.text}`}
              className={cx(own === undefined && !v.meaning && "border-ask!")}
              value={own === undefined ? asItStands : own === "" ? leaveBlank : own}
              onChange={(x) => choose(v.text, x)}
              options={optionsFor(v)}
              from={{
                open: opened === v.text,
                onOpen: (on) => setOpened(on ? v.text : undefined),
                back: () => grid.current?.focus(),
              }}
            />
          </div>
        );
      },
    },
    {
      id: "guess",
      label: "Perhaps",
      width: 150,
      text: (v) => v.guess ?? "",
      cell: (v) =>
        v.guess && said(v.text) === undefined ? (
          <button
            type="button"
            className="block max-w-full truncate px-3 leading-[41px] text-act"
            onClick={() => put(v.text, v.guess)}
          >
            {f.choices?.find((c) => c.code === v.guess)?.label ?? v.guess}?
          </button>
        ) : null,
    },
  ];
  return (
    <Dialog
      open
      wide
      unsaved={JSON.stringify(values) !== JSON.stringify(origin?.values ?? {})}
      onClose={p.onClose}
      title={`What “${column}” says and what it means`}
      foot={
        <>
          {guessed.length > 0 && (
            <Button onClick={() => setValues({ ...values, ...Object.fromEntries(guessed.map((v) => [v.text, v.guess ?? ""])) })}>
              {guessed.length === 1 ? "Take the guess" : `Take the ${count(guessed.length)} guesses`}
            </Button>
          )}
          <Button
            look="act"
            onClick={() => {
              p.onSave(values);
              p.onClose();
            }}
          >
            Keep the list
          </Button>
        </>
      }
    >
      {shown.isPending && <Loading what="the values" />}
      <Wrong error={shown.error ?? add.error} className="mb-2" />
      {shown.data && (
        <div className="mb-2 flex items-center gap-3 text-[12.5px] text-ink-soft">
          <span>
            {count(rows.length)} different{shown.data.more && ", the most frequent"}; {count(open.length)}{" "}
            {open.length === 1 ? "means" : "mean"} nothing yet
          </span>
          {open.length > 0 && open.length < rows.length && (
            <label className="flex items-center gap-1.5">
              <input type="checkbox" checked={onlyOpen} onChange={() => setOnlyOpen(!onlyOpen)} />
              only these
            </label>
          )}
        </div>
      )}
      {listed.length > 0 && (
        <DataGrid
          label="What each text means"
          name="values"
          ref={grid}
          columns={gridColumns}
          count={listed.length}
          rowAt={(n) => listed[n]}
          rowHeight={42}
          most="56vh"
          onOpen={(v) => setOpened(v.text)}
        />
      )}
      {rows.length === 0 && shown.data && <p className="text-ink-soft">Nothing stands in the column.</p>}
      {finding !== undefined && (
        <Meaning
          workspace={workspace}
          text={finding}
          f={f}
          to={to}
          onClose={() => setFinding(undefined)}
          onTake={(v) => {
            put(finding, v);
            setFinding(undefined);
          }}
        />
      )}
    </Dialog>
  );
}

/** Another text, or another record, that a text means. */
function Meaning(p: {
  workspace: string;
  text: string;
  f: Field;
  to: RecordType | undefined;
  onClose: () => void;
  onTake: (v: string) => void;
}) {
  const [v, setV] = useState(p.to ? p.text : "");
  return (
    <Dialog
      open
      onClose={p.onClose}
      title={`“${p.text}” means`}
      foot={
        !p.to && (
          <Button look="act" disabled={!v.trim()} onClick={() => p.onTake(v.trim())}>
            Take it
          </Button>
        )
      }
    >
      {p.to ? (
        <FindRecord workspace={p.workspace} t={p.to} start={p.text} onTake={p.onTake} />
      ) : (
        <input autoFocus aria-label={p.f.label} className={inputClass} value={v} onChange={(e) => setV(e.target.value)} />
      )}
    </Dialog>
  );
}

/** Finds a record by hand: by a name, an id, an e-mail. */
export function FindRecord(p: { workspace: string; t: RecordType; start?: string; onTake: (id: string) => void }) {
  const [text, setText] = useState(p.start ?? "");
  const found = useQuery({
    queryKey: ["records", p.workspace, p.t.name, "by hand", text],
    enabled: text.trim().length > 1,
    placeholderData: (was) => was,
    queryFn: () =>
      must(
        api.GET("/workspaces/{workspace}/records/{type}", {
          params: { path: { workspace: p.workspace, type: p.t.name }, query: { text: text.trim(), limit: 12 } },
        }),
      ),
  });
  return (
    <>
      <input
        autoFocus
        aria-label="Name, id or e-mail"
        placeholder="Name, id or e-mail"
        className={inputClass}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <Wrong error={found.error} className="mt-2" />
      <ul className="mt-2">
        {found.data?.records.map((r) => (
          <li key={r.id}>
            <button
              type="button"
              className="flex w-full gap-2 rounded px-2 py-1.5 text-left hover:bg-act-soft"
              onClick={() => p.onTake(r.id)}
            >
              <span className="figures w-20 shrink-0 text-ink-faint">{r.id}</span>
              <span dir="auto" className="truncate">
                {r.title}
                <span className="ml-2 text-[12.5px] text-ink-soft">
                  {[r.values["email"], r.values["locality"]].filter(Boolean).join(" · ")}
                </span>
              </span>
            </button>
          </li>
        ))}
      </ul>
      {text.trim().length > 1 && found.data?.records.length === 0 && (
        <p className="mt-2 text-ink-faint">Nobody answers to this.</p>
      )}
    </>
  );
}
