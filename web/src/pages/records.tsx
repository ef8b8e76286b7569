import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Search } from "lucide-react";
import { useCallback, useEffect, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, must, type Field, type Rec } from "../api/client";
import { start, types } from "../api/queries";
import { DataGrid, type GridColumn } from "../ui/grid";
import { Button, Choose, cx, Empty, inputClass, Loading, Menu, MenuItem, Wrong } from "../ui/parts";
import { count } from "../ui/verdict";

/** The forms in which the records that are listed can be taken out, to be changed and brought back. */
const formats = [
  { value: "xlsx", label: "As a workbook (XLSX)" },
  { value: "csv", label: "As CSV" },
  { value: "jsonl", label: "As JSON Lines" },
];

export function RecordsPage() {
  const { workspace = "main", type = "account" } = useParams();
  const [search, setSearch] = useSearchParams();
  const go = useNavigate();
  const kinds = useQuery(types(workspace));
  const counts = useQuery(start(workspace));
  const t = kinds.data?.types.find((x) => x.name === type);
  const text = search.get("text") ?? "";
  const order = (search.get("order") ?? "id") as "id" | "-id" | "title";
  const madeBy = Number(search.get("import") ?? 0);
  const page = useInfiniteQuery({
    queryKey: ["records", workspace, type, text, order, madeBy],
    initialPageParam: "",
    placeholderData: keepPreviousData,
    queryFn: ({ pageParam }) =>
      must(
        api.GET("/workspaces/{workspace}/records/{type}", {
          params: {
            path: { workspace, type },
            query: { text, order, cursor: pageParam, limit: 100, ...(madeBy ? { import: madeBy } : {}) },
          },
        }),
      ),
    getNextPageParam: (last) => last.next || undefined,
  });
  const set = (name: string, value: string) =>
    setSearch(
      (was) => {
        if (value) was.set(name, value);
        else was.delete(name);
        return was;
      },
      { replace: true },
    );
  const exported = (format: string) => {
    const query = new URLSearchParams({ format, order });
    if (text) query.set("text", text);
    if (madeBy) query.set("import", String(madeBy));
    return `/api/v1/workspaces/${workspace}/records/${type}/export?${query.toString()}`;
  };
  const rows = page.data?.pages.flatMap((p) => p.records) ?? [];
  const fields = (t?.fields ?? []).filter((f) => !t?.title.includes(f.name) && f.type !== "long_text");
  const columns: GridColumn<Rec>[] = [
    {
      id: "id",
      label: "Id",
      width: 104,
      text: (r) => r.id,
      cell: (r) => <span className="figures block px-3 py-1.5 whitespace-nowrap text-ink-soft">{r.id}</span>,
    },
    {
      id: "title",
      label: t?.label ?? "",
      width: 220,
      text: (r) => r.title,
      cell: (r) => (
        <Link
          tabIndex={-1}
          className="block truncate px-3 py-1.5 font-medium text-act"
          to={`/w/${workspace}/records/${type}/${r.id}`}
        >
          {r.title}
        </Link>
      ),
    },
    ...fields.map((f): GridColumn<Rec> => ({
      id: f.name,
      label: f.label,
      width: numeric(f) || f.type === "date" ? 118 : 168,
      right: numeric(f),
      text: (r) => r.links?.[f.name]?.title ?? r.values[f.name] ?? "",
      cell: (r) => (
        <div dir="auto" className="truncate px-3 py-1.5">
          <Value workspace={workspace} r={r} f={f} />
        </div>
      ),
    })),
  ];
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = page;
  const nearEnd = rows.length - 30;
  const onView = useCallback(
    (_: number, last: number) => {
      if (last >= nearEnd && hasNextPage && !isFetchingNextPage) void fetchNextPage();
    },
    [nearEnd, hasNextPage, isFetchingNextPage, fetchNextPage],
  );
  return (
    <div className="flex h-full flex-col px-7 py-6 max-[900px]:px-3">
      <div className="mb-3 flex flex-wrap items-center gap-3">
        <title>Records · Uchi</title>
        <h1 className="text-[26px]">{t?.plural ?? "Records"}</h1>
        <span className="figures text-ink-soft">{count(counts.data?.records[type] ?? 0)}</span>
        {madeBy > 0 && (
          <Button look="quiet" onClick={() => set("import", "")}>
            only those made by import {madeBy} ✕
          </Button>
        )}
        <div className="ml-auto flex gap-2">
          <SearchBox value={text} onChange={(v) => set("text", v)} />
          <Choose
            label="Order"
            className="w-40!"
            value={order}
            onChange={(v) => set("order", v)}
            options={[
              { value: "id", label: "Oldest first" },
              { value: "-id", label: "Newest first" },
              { value: "title", label: "By name" },
            ]}
          />
          <Menu trigger={<Button aria-label="Export these records">Export</Button>}>
            {formats.map((f) => (
              <MenuItem key={f.value} onSelect={() => location.assign(exported(f.value))}>
                {f.label}
              </MenuItem>
            ))}
          </Menu>
        </div>
      </div>
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
      <div className="min-h-0 flex-1 overflow-hidden rounded-lg border border-line bg-sheet">
        {page.error && !page.data ? (
          <Wrong error={page.error} className="m-4" />
        ) : !page.data || !t ? (
          <Loading what="records" />
        ) : rows.length === 0 ? (
          <Empty title={text ? "Nothing found" : `No ${t.plural.toLowerCase()} yet`}>
            {text ? "Look for a word of the name, an id, or a whole e-mail address or key." : "They come with the first load."}
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

export function numeric(f: Field): boolean {
  return ["integer", "decimal", "money", "percent"].includes(f.type);
}

/** A value as people read it: labels of choices, links to what is referred to. */
export function Value({ workspace, r, f }: { workspace: string; r: Rec; f: Field }) {
  const v = r.values[f.name];
  if (!v) return null;
  const link = r.links?.[f.name];
  if (link)
    return (
      <Link className="text-act" to={`/w/${workspace}/records/${link.type}/${link.id}`}>
        {link.title}
      </Link>
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
