import { useQueries, useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useMemo, useRef, type ReactNode } from "react";
import { api, must, type Column, type Import, type Row } from "../api/client";
import { gridStampOf } from "../api/queries";
import { cx, Empty, Wrong } from "../ui/parts";
import { Word } from "../ui/verdict";
import { placed, saidName, type Kind } from "./mapping";

export interface Filter {
  verdict: string;
  outcome: string;
  problem: string;
  field: string;
  /** Why rows are left out. */
  reason: string;
  /** Of the question. */
  kind: string;
  text: string;
}

export const noFilter: Filter = { verdict: "", outcome: "", problem: "", field: "", reason: "", kind: "", text: "" };

const rowHeight = 27;
const pageSize = 100;
const columnWidth = 158;

/** The rows of the source. It stays in view at all stations; what a station adds comes to it. */
export function Grid(p: {
  workspace: string;
  i: Import;
  kinds: Kind[];
  filter: Filter;
  selected: number;
  onSelect: (row: number) => void;
  head: (c: Column) => ReactNode;
  headHeight: number;
}) {
  const { workspace, i, filter } = p;
  const box = useRef<HTMLDivElement>(null);
  const columns = useMemo(() => i.columns ?? [], [i.columns]);
  const filtered = Object.values(filter).some(Boolean);
  const stamp = gridStampOf(i);
  const marginWidth = i.totals || Object.keys(i.outcomes).length ? 128 : 64;
  const path = { workspace, import: i.id };
  const query = Object.fromEntries(Object.entries(filter).filter(([, v]) => v));
  const counted = useQuery({
    queryKey: ["rows", workspace, i.id, stamp, filter, "count"],
    enabled: filtered,
    queryFn: () =>
      must(
        api.GET("/workspaces/{workspace}/imports/{import}/rows", {
          params: { path, query: { ...query, count: true, limit: 1 } },
        }),
      ),
  });
  const total = filtered ? (counted.data?.count ?? 0) : i.busy === "read" ? 0 : i.rows;
  const rows = useVirtualizer({ count: total, getScrollElement: () => box.current, estimateSize: () => rowHeight, overscan: 12 });
  const cols = useVirtualizer({
    horizontal: true,
    count: columns.length,
    getScrollElement: () => box.current,
    estimateSize: () => columnWidth,
    overscan: 2,
    paddingStart: marginWidth,
  });
  const visible = rows.getVirtualItems();
  const first = Math.floor((visible[0]?.index ?? 0) / pageSize);
  const last = Math.floor((visible.at(-1)?.index ?? 0) / pageSize);
  const pages = useQueries({
    queries: (total ? Array.from({ length: last - first + 1 }, (_, n) => first + n) : []).map((page) => ({
      queryKey: ["rows", workspace, i.id, stamp, filter, page],
      staleTime: 60_000,
      queryFn: () =>
        must(
          api.GET("/workspaces/{workspace}/imports/{import}/rows", {
            params: { path, query: { ...query, position: page * pageSize, limit: pageSize } },
          }),
        ),
    })),
  });
  const rowAt = (index: number): Row | undefined => pages[Math.floor(index / pageSize) - first]?.data?.rows[index % pageSize];
  const failed = pages.find((q) => q.error)?.error ?? counted.error;
  const fields = placed(i);

  useEffect(() => {
    rows.scrollToOffset(0);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- only another choice of rows begins at the top
  }, [JSON.stringify(filter)]);

  const indexOf = (row: number) => {
    for (const v of visible) if (rowAt(v.index)?.row === row) return v.index;
    return -1;
  };
  // A row that is jumped to comes into view; blank rows between may put it a little off the middle.
  const above = Number(i.reading?.header_row ?? i.findings?.find((f) => f.option === "header_row")?.value ?? 1) + 1;
  useEffect(() => {
    if (p.selected > 0 && total > 0 && !filtered && indexOf(p.selected) < 0)
      rows.scrollToIndex(Math.max(0, Math.min(total - 1, p.selected - above)), { align: "center" });
    // eslint-disable-next-line react-hooks/exhaustive-deps -- scrolling by hand must not be undone
  }, [p.selected, total > 0]);

  const step = (by: number) => {
    const from = indexOf(p.selected);
    const to = Math.max(0, Math.min(total - 1, from < 0 ? (visible[0]?.index ?? 0) : from + by));
    rows.scrollToIndex(to, { align: "auto" });
    const r = rowAt(to);
    if (r) p.onSelect(r.row);
  };
  const keys: Record<string, number> = { ArrowDown: 1, ArrowUp: -1, PageDown: 20, PageUp: -20 };

  if (failed) return <Wrong error={failed} className="m-4" />;
  return (
    <div
      ref={box}
      role="grid"
      aria-label="Rows of the source"
      aria-rowcount={total}
      aria-colcount={columns.length}
      tabIndex={0}
      onKeyDown={(e) => {
        if (e.target !== e.currentTarget) return;
        const by = keys[e.key];
        if (by) step(by);
        else if (e.key === "Home") rows.scrollToIndex(0);
        else if (e.key === "End") rows.scrollToIndex(total - 1);
        else return;
        e.preventDefault();
      }}
      className="relative h-full overflow-auto bg-sheet"
    >
      <div style={{ width: cols.getTotalSize(), height: rows.getTotalSize() + p.headHeight }} className="relative">
        <div
          role="row"
          className="sticky top-0 z-20 border-b border-line-strong bg-paper"
          style={{ height: p.headHeight, width: cols.getTotalSize() }}
        >
          <div
            role="columnheader"
            className="sticky left-0 z-10 flex h-full items-end border-r border-line bg-paper px-2 pb-1 text-[12px] text-ink-faint"
            style={{ width: marginWidth }}
          >
            row
          </div>
          {cols.getVirtualItems().map((c) => {
            const column = columns[c.index];
            return (
              column && (
                <div
                  key={c.key}
                  role="columnheader"
                  className="absolute top-0 border-r border-line"
                  style={{ left: c.start, width: c.size, height: p.headHeight }}
                >
                  {p.head(column)}
                </div>
              )
            );
          })}
        </div>
        {visible.map((v) => {
          const row = rowAt(v.index);
          const on = row?.row === p.selected;
          const word = row?.outcome ?? row?.verdict ?? "";
          return (
            <div
              key={v.key}
              role="row"
              aria-rowindex={v.index + 1}
              aria-selected={on}
              onClick={() => row && p.onSelect(row.row)}
              className={cx("absolute left-0", on ? "bg-act-soft" : "hover:bg-paper")}
              style={{ top: v.start + p.headHeight, height: rowHeight, width: cols.getTotalSize() }}
            >
              <div
                className={cx(
                  "figures sticky left-0 z-10 flex h-full items-center gap-2 border-r border-b border-line px-2 text-[12px]",
                  on ? "bg-act-soft" : "bg-paper",
                )}
                style={{ width: marginWidth }}
              >
                <span className="w-12 text-right text-ink-faint">{row?.row ?? ""}</span>
                {word && <Word word={word} />}
              </div>
              {row &&
                cols.getVirtualItems().map((c) => {
                  const column = columns[c.index];
                  return (
                    column && (
                      <div
                        key={c.key}
                        role="gridcell"
                        className="absolute top-0 h-full border-r border-b border-line"
                        style={{ left: c.start, width: c.size }}
                      >
                        <Cell
                          row={row}
                          column={column}
                          fields={(fields.get(column.header) ?? []).map((s) => saidName(p.kinds, s))}
                        />
                      </div>
                    )
                  );
                })}
            </div>
          );
        })}
      </div>
      {total === 0 && !counted.isFetching && (
        <Empty title={i.busy === "read" ? "Reading the source…" : filtered ? "No such rows" : "No rows"}>
          {filtered && "Choose another part of the totals, or all."}
        </Empty>
      )}
    </div>
  );
}

function Cell({ row, column, fields }: { row: Row; column: Column; fields: string[] }) {
  const text = row.cells[column.position] ?? "";
  const problem = row.problems?.find((x) => (x.column ? x.column === column.header : x.field && fields.includes(x.field)));
  const word = row.outcome ?? row.verdict ?? "";
  const updates = ["update", "updated"].includes(word) || ((row.drafts?.length ?? 0) > 1 && ["create", "created"].includes(word));
  const change = updates ? row.changes?.find((c) => fields.includes(c.field)) : undefined;
  return (
    <div
      dir="auto"
      title={problem ? `${problem.message}. ${problem.mend}` : text.length > 24 ? text.slice(0, 500) : undefined}
      className={cx(
        "h-full truncate px-2 leading-[26px]",
        problem && "bg-ask-soft text-ask underline decoration-wavy decoration-1 underline-offset-2",
        change && !problem && "font-medium text-update",
      )}
    >
      {problem && <span className="sr-only">Problem: {problem.message}. </span>}
      {change?.before && !problem && <del className="mr-1 font-normal text-ink-faint">{change.before}</del>}
      {text}
    </div>
  );
}
