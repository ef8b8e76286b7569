import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Columns3, ListFilter, Search } from "lucide-react";
import { useEffect, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, must, type Field, type Rec, type RecordType, type SavedView, type View, type ViewColumn } from "../api/client";
import { types, who } from "../api/queries";
import { FilterPanel, useColumns, useFilter } from "../ui/filter";
import { Exports, useLater } from "../ui/exports";
import { DataGrid, useMore, type GridColumn } from "../ui/grid";
import { Button, cx, Empty, inputClass, Loading, Menu, MenuItem, Wrong } from "../ui/parts";
import { sees } from "../ui/rights";
import { count } from "../ui/verdict";
import { ColumnsDialog, useViews, ViewMenu } from "../ui/views";

/** The forms in which the records that are listed can be taken out, to be changed and brought back. */
const formats: { label: string; query: Record<string, string>; later?: boolean }[] = [
  { label: "As a workbook (XLSX)", query: { format: "xlsx" }, later: true },
  { label: "As a workbook (OpenDocument)", query: { format: "ods" } },
  { label: "As CSV", query: { format: "csv" }, later: true },
  { label: "As CSV with semicolons", query: { format: "csv", delimiter: "semicolon" } },
  { label: "As JSON Lines", query: { format: "jsonl" } },
];

/** What the address says is looked at: a saved view, and what differs from it. */
function useLook(workspace: string, type: string) {
  const [search, setSearch] = useSearchParams();
  const views = useViews(workspace, type);
  const list = views.data?.views ?? [];
  const view = list.find((v) => String(v.id) === search.get("view"));
  const own = (name: string) => (search.has(name) ? (search.get(name) ?? "").split(",").filter(Boolean) : undefined);
  const columns = own("columns") ?? view?.view.columns ?? [];
  const sort = own("sort") ?? view?.view.sort ?? [];
  const filter = search.get("filter") ?? view?.view.filter ?? "";
  const set = (parts: Record<string, string | undefined>) =>
    setSearch(
      (was) => {
        for (const [name, value] of Object.entries(parts)) {
          if (value === undefined) was.delete(name);
          else was.set(name, value);
        }
        return was;
      },
      { replace: true },
    );
  const base = view?.view ?? {};
  /** Sets a part of what is looked at; what is as the view has it does not stand in the address. */
  const part = (name: "filter" | "columns" | "sort", value: string, usual: string) =>
    set({ [name]: value === usual ? undefined : value });
  return {
    views: list,
    // A view that is named must be known before anything is asked for.
    ready: !search.has("view") || views.data !== undefined || views.error !== null,
    missing: search.has("view") && views.data !== undefined && !view,
    view,
    filter,
    columns,
    sort,
    text: search.get("text") ?? "",
    madeBy: Number(search.get("import") ?? 0),
    changed: ["filter", "columns", "sort"].some((name) => search.has(name)),
    now: { filter, columns, sort } satisfies View,
    setText: (v: string) => set({ text: v || undefined }),
    setMadeBy: () => set({ import: undefined }),
    setFilter: (v: string) => part("filter", v, base.filter ?? ""),
    setColumns: (v: string[]) => part("columns", v.join(","), (base.columns ?? []).join(",")),
    setSort: (v: string[]) => part("sort", v.join(","), (base.sort ?? []).join(",")),
    choose: (v: SavedView | undefined) =>
      set({ view: v && String(v.id), filter: undefined, columns: undefined, sort: undefined }),
  };
}

export function RecordsPage() {
  const { workspace = "main", type = "account" } = useParams();
  const me = useQuery(who);
  const go = useNavigate();
  const kinds = useQuery(types(workspace));
  const t = kinds.data?.types.find((x) => x.name === type);
  const look = useLook(workspace, type);
  const { filter, columns: chosen, sort, text, madeBy } = look;
  const known = useColumns(workspace, type).data?.columns ?? [];
  const read = useFilter(workspace, type, filter, text, madeBy);
  const [filtering, setFiltering] = useState(false);
  const [choosing, setChoosing] = useState(false);
  const query = { filter, columns: chosen, sort, text, ...(madeBy ? { import: madeBy } : {}) };
  const page = useInfiniteQuery({
    queryKey: ["records", workspace, type, query],
    initialPageParam: "",
    placeholderData: keepPreviousData,
    retry: false,
    enabled: look.ready,
    queryFn: ({ pageParam }) =>
      must(
        api.GET("/workspaces/{workspace}/records/{type}", {
          params: { path: { workspace, type }, query: { ...query, cursor: pageParam, limit: 100 } },
        }),
      ),
    getNextPageParam: (last) => last.next || undefined,
  });
  const exported = (form: Record<string, string>) => {
    const q = new URLSearchParams(form);
    if (filter) q.set("filter", filter);
    if (text) q.set("text", text);
    if (madeBy) q.set("import", String(madeBy));
    for (const c of chosen) q.append("columns", c);
    for (const x of sort) q.append("sort", x);
    return `/api/v1/workspaces/${workspace}/records/${type}/export?${q.toString()}`;
  };
  const later = useLater(workspace, type);
  const rows = page.data?.pages.flatMap((p) => p.records) ?? [];
  const columns = gridColumns({ workspace, t, known, chosen, sort, role: me.data?.role, onSort: look.setSort });
  const onView = useMore(page, rows.length - 30);
  return (
    <div className="flex h-full flex-col px-7 py-6 max-[900px]:px-3">
      <div className="mb-3 flex flex-wrap items-center gap-3">
        <title>Records · Uchi</title>
        <h1 className="text-[26px]">{t?.plural ?? "Records"}</h1>
        <span role="status" className="figures text-ink-soft">
          {read.data && !read.error ? count(read.data.count) : ""}
        </span>
        <ViewMenu
          workspace={workspace}
          type={type}
          plural={t?.plural ?? "records"}
          views={look.views}
          view={look.view}
          now={look.now}
          changed={look.changed}
          onChoose={look.choose}
        />
        {madeBy > 0 && (
          <Button look="quiet" onClick={look.setMadeBy}>
            only those made by import {madeBy} ✕
          </Button>
        )}
        <div className="ml-auto flex flex-wrap gap-2">
          <SearchBox value={text} onChange={look.setText} />
          <Button aria-expanded={filtering} onClick={() => setFiltering(!filtering)}>
            <ListFilter size={14} aria-hidden /> Filter{filter ? " · on" : ""}
          </Button>
          <Button onClick={() => setChoosing(true)}>
            <Columns3 size={14} aria-hidden /> Columns
          </Button>
          <Menu trigger={<Button aria-label="Export these records">Export</Button>}>
            {formats.map((f) => (
              <MenuItem key={f.label} onSelect={() => location.assign(exported(f.query))}>
                {f.label}
              </MenuItem>
            ))}
            {formats
              .filter((f) => f.later)
              .map((f) => (
                <MenuItem key={`later ${f.label}`} onSelect={() => later.mutate({ ...query, ...f.query })}>
                  {f.label}, in the background
                </MenuItem>
              ))}
          </Menu>
        </div>
      </div>
      <Exports workspace={workspace} />
      <nav aria-label="Record types" className="mb-3 flex flex-wrap gap-1">
        {kinds.data?.types.map((k) => (
          <Link
            key={k.name}
            to={`/w/${workspace}/records/${k.name}`}
            aria-current={k.name === type ? "page" : undefined}
            className={cx(
              "rounded-full border px-3 py-0.5",
              k.name === type ? "border-act bg-act-soft" : "border-line hover:border-line-strong",
            )}
          >
            {k.plural}
          </Link>
        ))}
      </nav>
      {filtering && (
        <FilterPanel
          key={`${type} ${look.view?.id ?? 0}`}
          workspace={workspace}
          type={type}
          filter={filter}
          onChange={look.setFilter}
          onClose={() => setFiltering(false)}
        />
      )}
      {choosing && (
        <ColumnsDialog
          columns={known}
          chosen={chosen.length > 0 ? chosen : usual(t, me.data?.role).map((f) => f.name)}
          onClose={() => setChoosing(false)}
          onSave={(names) => {
            setChoosing(false);
            look.setColumns(names);
          }}
        />
      )}
      <div className="min-h-0 flex-1 overflow-hidden rounded-lg border border-line bg-sheet">
        {look.missing ? (
          <Empty title="This view is not there">
            It was forgotten, or it is somebody’s own.{" "}
            <Button look="quiet" onClick={() => look.choose(undefined)}>
              See all {t?.plural.toLowerCase()}
            </Button>
          </Empty>
        ) : page.error ? (
          <Wrong error={page.error} className="m-4" />
        ) : !page.data || !t ? (
          <Loading what="records" />
        ) : rows.length === 0 ? (
          <Empty title={text || filter ? "Nothing found" : `No ${t.plural.toLowerCase()} yet`}>
            {text
              ? "Look for a word of the name, an id, or a whole e-mail address or key."
              : filter
                ? "No record meets the filter."
                : "They come with the first load."}
          </Empty>
        ) : (
          <DataGrid
            label={t.plural}
            name={`records-${workspace}-${type}`}
            columns={columns}
            count={rows.length}
            rowAt={(n) => rows[n]}
            onView={onView}
            rowHeight={32}
            onOpen={(r) => void go(`/w/${workspace}/records/${type}/${r.id}`)}
          />
        )}
      </div>
    </div>
  );
}

/** The fields that are shown when nobody has chosen. */
function usual(t: RecordType | undefined, role: string | undefined): Field[] {
  return (t?.fields ?? []).filter((f) => !f.retired && sees(role, f) && f.type !== "long_text" && f.type !== "file");
}

/** The columns of the grid: id and title, and the fields of the view. */
function gridColumns(p: {
  workspace: string;
  t: RecordType | undefined;
  known: ViewColumn[];
  chosen: string[];
  sort: string[];
  role: string | undefined;
  onSort: (sort: string[]) => void;
}): GridColumn<Rec>[] {
  const { t } = p;
  const title = t?.title ?? [];
  const sorting = (name: string) => ({
    sorted: p.sort.includes(name) ? ("up" as const) : p.sort.includes(`-${name}`) ? ("down" as const) : undefined,
    // What is sorted by last goes first; ties fall to what was sorted by before.
    onSort: (way: "up" | "down" | undefined) => {
      const others = p.sort.filter((x) => x !== name && x !== `-${name}`);
      p.onSort(way ? [way === "up" ? name : `-${name}`, ...others] : others);
    },
  });
  const fields: ViewColumn[] =
    p.chosen.length > 0
      ? p.chosen.flatMap((name) => p.known.find((c) => c.name === name) ?? [])
      : usual(t, p.role)
          .filter((f) => !title.includes(f.name))
          .map((f) => ({ name: f.name, label: f.label, field: f, hows: [] }));
  // What names the record stands among the chosen columns by itself.
  const whole = title.length > 0 && title.every((name) => p.chosen.includes(name));
  const copiedTitle = p.chosen.length > 0 ? [] : title; // of a choice of columns, only they are there
  const titleColumn = (): GridColumn<Rec> => ({
    id: "title",
    label: t?.label ?? "",
    width: 220,
    text: (r) => r.title,
    copied: copiedTitle.map((name) => ({
      label: t?.fields.find((f) => f.name === name)?.label ?? name,
      text: (r) => r.values[name] ?? "",
    })),
    cell: (r) => (
      <Link
        tabIndex={-1}
        className="block truncate px-3 py-1.5 font-medium text-act"
        to={`/w/${p.workspace}/records/${t?.name ?? ""}/${r.id}`}
      >
        {r.title}
      </Link>
    ),
    ...sorting("title"),
  });
  return [
    {
      id: "id",
      label: "Id",
      width: 104,
      text: (r) => r.id,
      // Pasted into an import, the rows are known as these records, as they were.
      copied: [{ label: `${t?.label ?? ""} id`, text: (r) => `${r.id}:${r.version}` }],
      cell: (r) => <span className="figures block px-3 py-1.5 whitespace-nowrap text-ink-soft">{r.id}</span>,
      ...sorting("id"),
    },
    ...(whole ? [] : [titleColumn()]),
    ...fields.map((c): GridColumn<Rec> => ({
      id: c.name,
      label: c.label,
      width: numeric(c.field) || c.field.type === "date" ? 118 : 168,
      right: numeric(c.field),
      text: (r) => r.links?.[c.name]?.title ?? r.values[c.name] ?? "",
      copied: [{ label: c.label, text: (r) => r.values[c.name] ?? "" }],
      cell: (r) => (
        <div dir="auto" className="truncate px-3 py-1.5">
          <Value workspace={p.workspace} r={r} f={c.field} name={c.name} />
        </div>
      ),
      ...sorting(c.name),
    })),
  ];
}

export function numeric(f: Field): boolean {
  return ["integer", "decimal", "money", "percent"].includes(f.type);
}

/** A value as people read it: labels of choices, links to what is referred to. */
/** Where a file that hangs on a record is shown. */
export function fileAddress(workspace: string, type: string, id: string, field: string): string {
  return `/api/v1/workspaces/${encodeURIComponent(workspace)}/records/${encodeURIComponent(type)}/${encodeURIComponent(id)}/files/${encodeURIComponent(field)}?show=true`;
}

export function Value({ workspace, r, f, name = f.name }: { workspace: string; r: Rec; f: Field; name?: string }) {
  const v = r.values[name];
  if (!v) return null;
  const link = r.links?.[name];
  if (link)
    return (
      <Link className="text-act" to={`/w/${workspace}/records/${link.type}/${link.id}`}>
        {link.title}
      </Link>
    );
  if (f.type === "file")
    return (
      <a className="text-act" href={fileAddress(workspace, r.type, r.id, f.name)} target="_blank" rel="noreferrer">
        {r.files?.find((x) => x.field === f.name)?.name ?? "Open"}
      </a>
    );
  if (f.type === "choice") return <>{f.choices?.find((c) => c.code === v)?.label ?? v}</>;
  if (f.type === "yes_no") return <>{v === "true" ? "yes" : "no"}</>;
  if (f.type === "percent") return <>{v} %</>;
  return <>{v}</>;
}

function SearchBox({ value, onChange }: { value: string; onChange: (v: string) => void }) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  useEffect(() => {
    if (text === value) return;
    const t = setTimeout(() => onChange(text), 250);
    return () => clearTimeout(t);
  }, [text, value, onChange]);
  return (
    <div className="relative w-64">
      <Search size={14} className="absolute top-2.5 left-2.5 text-ink-faint" aria-hidden />
      <input
        data-search
        aria-label="Search records"
        className={cx(inputClass, "pl-8")}
        placeholder="Name, id, e-mail or key"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
    </div>
  );
}
