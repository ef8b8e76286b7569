import { keepPreviousData, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useState, type ReactNode, type RefObject } from "react";
import { api, must, type Column, type Import, type Row } from "../api/client";
import { gridStampOf } from "../api/queries";
import { DataGrid, type GridColumn, type GridHandle } from "../ui/grid";
import { cx, Empty, Wrong } from "../ui/parts";
import { toast } from "../ui/toast";
import { Word } from "../ui/verdict";
import { CellEditor, fieldAt } from "./cell";
import { useEdits } from "./mend";
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
  /** The header of the column that the text stands in; any when empty. */
  column: string;
}

export const noFilter: Filter = {
  verdict: "",
  outcome: "",
  problem: "",
  field: "",
  reason: "",
  kind: "",
  text: "",
  column: "",
};

/** Which rows are looked at, and in which order. */
interface Look {
  filter: Filter;
  sort: string;
}

const pageSize = 100;
const cardWidth = 158;

/** As wide as what mostly stands in a column, within bounds; with a card above it, as the card needs. */
function widthOf(c: Column, carded: boolean): number {
  const letters = Math.max(c.header.length + 3, Math.min(c.longest, 30));
  return Math.max(carded ? cardWidth : 84, Math.min(280, Math.round(letters * 7.4) + 18));
}

/** The rows of the source. It stays in view at all stations; what a station adds comes to it. */
export function Grid(p: {
  /** Whether cells can be changed now. */
  editable: boolean;
  workspace: string;
  i: Import;
  kinds: Kind[];
  filter: Filter;
  /** The header of the column that the rows are ordered by, behind a hyphen when the last comes first. */
  sort: string;
  onSort: (sort: string) => void;
  /** A text is to be looked for in a column. */
  onFind: (header: string) => void;
  selected: number;
  onWalk: (row: number) => void;
  onOpen: (row: number) => void;
  head: (c: Column) => ReactNode;
  carded: boolean;
  headHeight: number;
  /** Which columns are shown; all when it is not given. */
  shows?: (c: Column) => boolean;
  handle: RefObject<GridHandle | null>;
}) {
  const { workspace, i } = p;
  const client = useQueryClient();
  const { handle } = p;
  const stamp = gridStampOf(i);
  const path = { workspace, import: i.id };

  const queryOf = (f: Filter) => Object.fromEntries(Object.entries(f.text ? f : { ...f, column: "" }).filter(([, v]) => v));
  const isFiltered = (f: Filter) => Object.keys(queryOf(f)).length > 0;
  const pageOf = ({ filter: f, sort }: Look, page: number) => ({
    queryKey: ["rows", workspace, i.id, stamp, f, sort, page],
    staleTime: 60_000,
    queryFn: () =>
      must(
        api.GET("/workspaces/{workspace}/imports/{import}/rows", {
          params: { path, query: { ...queryOf(f), ...(sort ? { sort } : {}), position: page * pageSize, limit: pageSize } },
        }),
      ),
  });
  const countOf = (f: Filter) => ({
    queryKey: ["rows", workspace, i.id, stamp, f, "count"],
    enabled: isFiltered(f),
    placeholderData: keepPreviousData,
    queryFn: () =>
      must(
        api.GET("/workspaces/{workspace}/imports/{import}/rows", {
          params: { path, query: { ...queryOf(f), count: true, limit: 1 } },
        }),
      ),
  });

  const edits = useEdits(workspace, i.id);
  const onError = (error: Error) => toast(`The cell stays as it was: ${error.message}.`);
  const fields = useMemo(() => placed(i), [i]);

  // The rows that were there stay until those of another choice are.
  const asked: Look = { filter: p.filter, sort: p.sort };
  const [look, setLook] = useState(asked);
  const { filter } = look;
  const wanted = JSON.stringify(asked);
  const changing = wanted !== JSON.stringify(look);
  const nextCount = useQuery({ ...countOf(p.filter), placeholderData: undefined });
  const nextPage = useQuery({ ...pageOf(asked, 0), enabled: changing });
  const there = (nextPage.data ?? nextPage.error) && (!isFiltered(p.filter) || (nextCount.data ?? nextCount.error));
  useEffect(() => {
    if (!changing || !there) return;
    setLook(asked);
    handle.current?.showRow(0, "start");
    const wrong = [...fields].find(([, spots]) => spots.some((s) => saidName(p.kinds, s) === p.filter.field))?.[0];
    if (p.filter.field && wrong) handle.current?.reveal(wrong);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- what is asked for is the same while its text is
  }, [changing, Boolean(there), wanted]);

  const [late, setLate] = useState(false); // the order of many rows takes seconds, once
  useEffect(() => {
    const wait = setTimeout(() => setLate(changing), changing ? 400 : 0);
    return () => clearTimeout(wait);
  }, [changing]);

  const filtered = isFiltered(filter);
  const counted = useQuery(countOf(filter));
  const total = filtered ? (counted.data?.count ?? 0) : i.busy === "read" ? 0 : i.rows;
  const [view, setView] = useState({ first: 0, last: 0 });
  const onView = useCallback(
    (first: number, last: number) => setView({ first: Math.floor(first / pageSize), last: Math.floor(last / pageSize) }),
    [],
  );
  const pages = useQueries({
    queries: (total ? Array.from({ length: view.last - view.first + 1 }, (_, n) => view.first + n) : []).map((n) =>
      pageOf(look, n),
    ),
  });
  const rowAt = (index: number): Row | undefined =>
    pages[Math.floor(index / pageSize) - view.first]?.data?.rows[index % pageSize];
  const fetchRows = async (first: number, last: number) => {
    const list: Row[] = [];
    for (let n = Math.floor(first / pageSize); n <= Math.floor(last / pageSize); n++)
      list.push(...(await client.fetchQuery(pageOf(look, n))).rows);
    return list.slice(first % pageSize, (first % pageSize) + last - first + 1);
  };
  const failed = pages.find((q) => q.error && !q.data)?.error ?? (counted.data ? undefined : counted.error);

  // A row that is jumped to comes into view; blank rows between may put it a little off the middle.
  const above = Number(i.reading?.header_row ?? i.findings?.find((f) => f.option === "header_row")?.value ?? 1) + 1;
  const inView = pages.some((q) => q.data?.rows.some((r) => r.row === p.selected));
  useEffect(() => {
    if (p.selected > 0 && total > 0 && !filtered && !look.sort && !inView)
      handle.current?.showRow(Math.max(0, Math.min(total - 1, p.selected - above)), "center");
    // eslint-disable-next-line react-hooks/exhaustive-deps -- scrolling by hand must not be undone
  }, [p.selected, total > 0]);

  // They stay the same while pages come, so that only the rows that have come are drawn.
  const { head, carded, shows, kinds, onSort, onFind } = p;
  const columns = useMemo(
    () =>
      (i.columns ?? []).filter(shows ?? (() => true)).map((c): GridColumn<Row> => {
        const names = (fields.get(c.header) ?? []).map((s) => saidName(kinds, s));
        return {
          id: c.header,
          label: c.header,
          width: widthOf(c, carded),
          head: head(c),
          text: (row) => row.cells[c.position] ?? "",
          sorted: look.sort === c.header ? "up" : look.sort === `-${c.header}` ? "down" : undefined,
          onSort: (way) => onSort(way === undefined ? "" : way === "up" ? c.header : `-${c.header}`),
          onFind: () => onFind(c.header),
          cell: (row) => <Cell row={row} column={c} fields={names} />,
        };
      }),
    [i.columns, fields, kinds, head, carded, shows, look.sort, onSort, onFind],
  );
  const judged = i.totals !== undefined || Object.keys(i.outcomes).length > 0;
  const margin = useMemo(() => ({ width: judged ? 128 : 64, head: "row", cell: numberOf }), [judged]);

  if (failed) return <Wrong error={failed} className="m-4" />;
  return (
    <DataGrid
      ref={handle}
      label="Rows of the source"
      name={`import-${workspace}-${i.id}`}
      columns={columns}
      margin={margin}
      count={total}
      rowAt={rowAt}
      onView={onView}
      fetchRows={fetchRows}
      edit={{
        can: (row) => p.editable && (!row.outcome || ["held", "failed", "undone"].includes(row.outcome)),
        editor: (row, c, start, done) => {
          const at = fieldAt(p.kinds, fields.get(c.id)?.[0]);
          return (
            <CellEditor
              workspace={workspace}
              importId={i.id}
              label={`${c.label}, row ${row.row}`}
              kind={at?.kind}
              field={at?.field}
              text={start ?? c.text(row)}
              className="h-full"
              onDone={(text, move) => {
                done(move);
                if (text !== undefined && text !== c.text(row))
                  edits.edit.mutate([{ row: row.row, column: c.id, value: text }], { onError });
              }}
            />
          );
        },
      }}
      isOn={(row) => row.row === p.selected}
      onWalk={(row) => p.onWalk(row.row)}
      onOpen={(row) => p.onOpen(row.row)}
      headHeight={p.headHeight}
    >
      {total === 0 && !counted.isFetching && !changing && (
        <Empty title={i.busy === "read" ? "Reading the source…" : filtered ? "No such rows" : "No rows"}>
          {filtered && "Choose another part of the totals, or all."}
        </Empty>
      )}
      {late && (
        <div
          role="status"
          className="sticky bottom-3 left-3 z-30 w-fit rounded-md border border-line bg-raised px-3 py-1.5 shadow-pop"
        >
          Looking through the rows…
        </div>
      )}
    </DataGrid>
  );
}

/** The number of a row, and what becomes of it. */
function numberOf(row: Row | undefined): ReactNode {
  const word = row?.outcome ?? row?.verdict ?? "";
  return (
    <>
      <span className="w-12 text-right text-ink-faint">{row?.row ?? ""}</span>
      {word && <Word word={word} />}
    </>
  );
}

function Cell({ row, column, fields }: { row: Row; column: Column; fields: string[] }) {
  const text = row.cells[column.position] ?? "";
  const problem = row.problems?.find((x) => (x.column ? x.column === column.header : x.field && fields.includes(x.field)));
  const word = row.outcome ?? row.verdict ?? "";
  const edited = row.edits?.find((e) => e.column === column.header);
  const updates = ["update", "updated"].includes(word) || ((row.drafts?.length ?? 0) > 1 && ["create", "created"].includes(word));
  const change = updates ? row.changes?.find((c) => fields.includes(c.field)) : undefined;
  return (
    <div
      dir="auto"
      title={
        problem
          ? `${problem.message}. ${problem.mend}`
          : edited
            ? `The source says: ${edited.was || "nothing"}. Changed by ${edited.person}.`
            : text.length > 24
              ? text.slice(0, 500)
              : undefined
      }
      className={cx(
        "h-full truncate px-2 leading-[26px]",
        edited && "edited-cell",
        problem && "bg-ask-soft text-ask underline decoration-wavy decoration-1 underline-offset-2",
        change && !problem && "font-medium text-update",
      )}
    >
      {edited && <span className="sr-only">Mended. </span>}
      {problem && <span className="sr-only">Problem: {problem.message}. </span>}
      {change?.before && !problem && <del className="mr-1 font-normal text-ink-faint">{change.before}</del>}
      {text}
    </div>
  );
}
