import type { UseInfiniteQueryResult } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp, EllipsisVertical } from "lucide-react";
import {
  memo,
  useCallback,
  useEffect,
  useId,
  useImperativeHandle,
  useLayoutEffect,
  useMemo,
  useRef,
  useState,
  type ReactNode,
  type Ref,
  type RefObject,
} from "react";
import { cx, Menu, MenuItem, MenuLine } from "./parts";

/** A column of a grid. */
export interface GridColumn<R> {
  id: string;
  /** What it is called, in its menu and to screen readers. */
  label: string;
  /** In pixels, as its content asks; people may set another. */
  width: number;
  head?: ReactNode;
  cell: (row: R) => ReactNode;
  /** The cell as it is copied. */
  text: (row: R) => string;
  right?: boolean;
  /** What is copied of it instead, as columns with headers of their own. */
  copied?: { label: string; text: (row: R) => string }[];
  /** How the rows are sorted by it, and what sorts them so. */
  sorted?: "up" | "down" | undefined;
  onSort?: (way: "up" | "down" | undefined) => void;
  /** Looks for a text in it. */
  onFind?: () => void;
}

export interface GridHandle {
  showRow: (index: number, align: "auto" | "center" | "start") => void;
  /** Brings a column into view. */
  reveal: (id: string) => void;
  /** Brings a column into view and puts the focus on what can be pressed above it. */
  showColumn: (id: string) => void;
  /** Gives the focus to the cell that had it last. */
  focus: () => void;
}

/** A column that shows its text as it is, in one line. */
export function textColumn<R>(c: Omit<GridColumn<R>, "cell">): GridColumn<R> {
  return {
    ...c,
    cell: (r) => (
      <div
        dir="auto"
        className="flex h-full items-center px-3"
        title={c.text(r).length > 24 ? c.text(r).slice(0, 500) : undefined}
      >
        <span className="w-full truncate">{c.text(r)}</span>
      </div>
    ),
  };
}

/** Fetches the next page of a list as its last rows come into view; for onView of its grid. */
export function useMore(
  {
    hasNextPage,
    isFetchingNextPage,
    fetchNextPage,
  }: Pick<UseInfiniteQueryResult, "hasNextPage" | "isFetchingNextPage" | "fetchNextPage">,
  nearEnd: number,
) {
  return useCallback(
    (_: number, last: number) => {
      if (last >= nearEnd && hasNextPage && !isFetchingNextPage) void fetchNextPage();
    },
    [nearEnd, hasNextPage, isFetchingNextPage, fetchNextPage],
  );
}

/** How a person has set the columns of a grid up, kept on this device. */
interface Setup {
  widths: Record<string, number>;
  hidden: string[];
  pinned: string[];
}

const none: Setup = { widths: {}, hidden: [], pinned: [] };
const narrowest = 48;
const widest = 900;
const mostCopied = 10_000;

function useSetup(name: string): [Setup, (s: Setup) => void] {
  const key = `uchi.grid.${name}`;
  const [setup, set] = useState<Setup>(() => {
    try {
      return { ...none, ...(JSON.parse(localStorage.getItem(key) ?? "{}") as Partial<Setup>) };
    } catch {
      return none;
    }
  });
  return [
    setup,
    (s) => {
      set(s);
      localStorage.setItem(key, JSON.stringify(s));
    },
  ];
}

/** Rows as tab-separated text (RFC 4180 in its quoting, for cells with tabs or line breaks). */
function asText(lines: string[][]): string {
  return lines.map((line) => line.map((s) => (/["\t\r\n]/.test(s) ? `"${s.replaceAll('"', '""')}"` : s)).join("\t")).join("\n");
}

/**
 * The one grid: rows that are fetched as they come into view, any number of
 * them and of columns. A cell has the focus and is walked from the keyboard;
 * the header is one stop of the tab key, with a menu for each column.
 */
export function DataGrid<R>(p: {
  label: string;
  /** Under which its set-up is kept. */
  name: string;
  columns: GridColumn<R>[];
  /** What stands before each row and stays in view. */
  margin?: { width: number; head: ReactNode; cell: (row: R | undefined) => ReactNode };
  count: number;
  rowAt: (index: number) => R | undefined;
  /** Tells which rows are in view. */
  onView?: (first: number, last: number) => void;
  /** Gives rows that may not have been in view, to be copied. */
  fetchRows?: (first: number, last: number) => Promise<R[]>;
  isOn?: (row: R) => boolean;
  /** The focus has come to a row. */
  onWalk?: (row: R) => void;
  /** A row is clicked, or Enter pressed on it. */
  onOpen?: (row: R) => void;
  /** Cells that can be changed where they stand: F2, a double click, or just typing begins. */
  edit?: {
    can: (row: R, column: GridColumn<R>) => boolean;
    /** The editor over the cell; start is what was typed, undefined for the cell's own text. */
    editor: (
      row: R,
      column: GridColumn<R>,
      start: string | undefined,
      done: (move: "stay" | "down" | "right") => void,
    ) => ReactNode;
  };
  rowHeight?: number;
  headHeight?: number;
  /** It is as high as its rows ask, up to this length of CSS; without it, it fills what it stands in. */
  most?: string;
  children?: ReactNode;
  ref?: Ref<GridHandle>;
}) {
  const { columns, count, rowAt } = p;
  const rowHeight = p.rowHeight ?? 27;
  const headHeight = p.headHeight ?? 34;
  const box = useRef<HTMLDivElement>(null);
  const headRow = useRef<HTMLDivElement>(null);
  const id = useId();
  const [setup, setSetup] = useSetup(p.name);
  const [at, setAt] = useState({ row: 0, col: 0 });
  const [from, setFrom] = useState(0); // where the choice of rows began
  const [headAt, setHeadAt] = useState(0);
  const [editing, setEditing] = useState<{ row: number; col: number; start: string | undefined }>();
  const [said, setSaid] = useState("");

  const { shown, pinned, loose, order } = useMemo(() => {
    const shown = columns.filter((c) => !setup.hidden.includes(c.id));
    const pinned = shown.filter((c) => setup.pinned.includes(c.id));
    const loose = shown.filter((c) => !setup.pinned.includes(c.id));
    return { shown, pinned, loose, order: [...pinned, ...loose] };
  }, [columns, setup]);
  const widthOf = useCallback((c: GridColumn<R>) => setup.widths[c.id] ?? c.width, [setup]);
  const marginWidth = p.margin?.width ?? 0;
  const fixedWidth = pinned.reduce((n, c) => n + widthOf(c), marginWidth);

  const rows = useVirtualizer({
    count,
    getScrollElement: () => box.current,
    estimateSize: () => rowHeight,
    overscan: 12,
    scrollPaddingStart: headHeight,
  });
  const cols = useVirtualizer({
    horizontal: true,
    count: loose.length,
    getScrollElement: () => box.current,
    estimateSize: (n) => (loose[n] ? widthOf(loose[n]) : 0),
    overscan: 2,
    paddingStart: fixedWidth,
    scrollPaddingStart: fixedWidth,
  });
  const sizes = loose.map(widthOf).join();
  useLayoutEffect(() => cols.measure(), [cols, sizes, fixedWidth]);
  const toHead = (to: number) => {
    setHeadAt(to);
    if (to >= pinned.length) cols.scrollToIndex(to - pinned.length, { align: "auto" });
    requestAnimationFrame(() =>
      requestAnimationFrame(() => {
        const cell = headRow.current?.querySelector(`[data-column="${CSS.escape(order[to]?.id ?? "")}"]`);
        cell?.querySelector<HTMLElement>("button")?.focus();
      }),
    );
  };
  useImperativeHandle(p.ref, () => ({
    showRow: (index, align) => rows.scrollToIndex(index, { align }),
    reveal: (column) => {
      const n = loose.findIndex((c) => c.id === column);
      if (n >= 0) cols.scrollToIndex(n, { align: "auto" });
    },
    showColumn: (column) => toHead(order.findIndex((c) => c.id === column)),
    focus: () => box.current?.focus({ preventScroll: true }),
  }));

  const visible = rows.getVirtualItems();
  const inView = cols.getVirtualItems();
  const places = inView.map((v) => `${v.index} ${v.start}`).join();
  const looseInView = useMemo(
    () => inView.flatMap((v) => (loose[v.index] ? [{ column: loose[v.index] as GridColumn<R>, left: v.start }] : [])),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the list is another with each frame, its places are not
    [loose, places],
  );
  const first = visible[0]?.index ?? 0;
  const last = visible.at(-1)?.index ?? 0;
  const hereShown =
    rowAt(at.row) !== undefined &&
    visible.some((v) => v.index === at.row) &&
    (at.col < pinned.length || inView.some((v) => v.index === at.col - pinned.length));
  const { onView } = p;
  useEffect(() => onView?.(first, last), [onView, first, last]);

  // The header is one stop: what can be pressed in it is reached by the arrows.
  useEffect(() => {
    headRow.current?.querySelectorAll<HTMLElement>("[data-column]").forEach((cell) => {
      const on = cell.dataset["column"] === (order[headAt]?.id ?? order[0]?.id);
      cell.querySelectorAll<HTMLElement>("button, [tabindex]").forEach((b) => (b.tabIndex = on ? 0 : -1));
    });
  });

  const low = Math.min(from, at.row);
  const high = Math.max(from, at.row);
  const go = (row: number, col: number, extend: boolean) => {
    const to = { row: Math.max(0, Math.min(count - 1, row)), col: Math.max(0, Math.min(order.length - 1, col)) };
    setAt(to);
    if (!extend) setFrom(to.row);
    rows.scrollToIndex(to.row, { align: "auto" });
    if (to.col >= pinned.length) cols.scrollToIndex(to.col - pinned.length, { align: "auto" });
    const r = rowAt(to.row);
    if (r && !extend) p.onWalk?.(r);
  };

  const copy = async () => {
    const one = order[at.col];
    if (low === high && one) {
      const r = rowAt(at.row);
      await navigator.clipboard.writeText(r ? one.text(r) : "");
      setSaid("The cell is copied.");
      return;
    }
    const to = Math.min(high, low + mostCopied - 1);
    const list = p.fetchRows
      ? await p.fetchRows(low, to)
      : Array.from({ length: to - low + 1 }, (_, n) => rowAt(low + n)).flatMap((r) => r ?? []);
    const parts = order.flatMap((c) => c.copied ?? [c]);
    await navigator.clipboard.writeText(asText([parts.map((c) => c.label), ...list.map((r) => parts.map((c) => c.text(r)))]));
    setSaid(`${list.length} rows are copied with their header.`);
  };

  const beginEdit = (row: number, col: number, start: string | undefined) => {
    const r = rowAt(row);
    const c = order[col];
    if (!r || !c || !p.edit?.can(r, c)) return false;
    setEditing({ row, col, start });
    return true;
  };
  const endEdit = (move: "stay" | "down" | "right") => {
    setEditing(undefined);
    box.current?.focus({ preventScroll: true });
    if (move === "down") go(at.row + 1, at.col, false);
    if (move === "right") go(at.row, at.col + 1, false);
  };

  // What a row asks for; it stays the same while the grid scrolls.
  const acts = useRef<Acts<R>>(undefined);
  useLayoutEffect(() => {
    acts.current = {
      press: (row, col, extend) => {
        setAt({ row, col });
        if (!extend) setFrom(row);
      },
      edit: (row, col) => void beginEdit(row, col, undefined),
      editor: (r, c, start) => p.edit?.editor(r, c, start, (move) => acts.current?.end(move)),
      end: endEdit,
      open: (r) => p.onOpen?.(r),
    };
  });

  const page = Math.max(1, Math.floor(((box.current?.clientHeight ?? 400) - headHeight) / rowHeight) - 1);
  const onKey = (e: React.KeyboardEvent) => {
    if (e.target !== e.currentTarget || e.altKey) return;
    const ctrl = e.ctrlKey || e.metaKey;
    const { row, col } = at;
    switch (e.key) {
      case "ArrowDown":
        go(ctrl ? count - 1 : row + 1, col, e.shiftKey);
        break;
      case "ArrowUp":
        go(ctrl ? 0 : row - 1, col, e.shiftKey);
        break;
      case "ArrowRight":
        go(row, ctrl ? order.length - 1 : col + 1, false);
        break;
      case "ArrowLeft":
        go(row, ctrl ? 0 : col - 1, false);
        break;
      case "PageDown":
        go(row + page, col, e.shiftKey);
        break;
      case "PageUp":
        go(row - page, col, e.shiftKey);
        break;
      case "Home":
        go(ctrl ? 0 : row, ctrl ? col : 0, e.shiftKey);
        break;
      case "End":
        go(ctrl ? count - 1 : row, ctrl ? col : order.length - 1, e.shiftKey);
        break;
      case "Enter": {
        const r = rowAt(row);
        if (r) p.onOpen?.(r);
        break;
      }
      case "c":
        if (!ctrl) return;
        copy().catch(() => setSaid("The browser does not let it be copied."));
        break;
      case "F2":
        if (!beginEdit(row, col, undefined)) return;
        break;
      case "Delete":
        if (!beginEdit(row, col, "")) return;
        break;
      default:
        if (ctrl || e.key.length !== 1 || e.key === " " || e.key === "?" || e.key === "/" || !beginEdit(row, col, e.key)) return;
        break;
    }
    e.preventDefault();
    e.stopPropagation();
  };
  const onHeadKey = (e: React.KeyboardEvent) => {
    const by = { ArrowRight: 1, ArrowLeft: -1 }[e.key];
    if (!by || document.querySelector("[role=menu], [role=listbox]")) return;
    e.preventDefault();
    toHead(Math.max(0, Math.min(order.length - 1, headAt + by)));
  };

  const set = (part: Partial<Setup>) => setSetup({ ...setup, ...part });
  const setWidth = (c: GridColumn<R>, width: number) =>
    set({ widths: { ...setup.widths, [c.id]: Math.max(narrowest, Math.min(widest, Math.round(width))) } });
  const fit = (c: GridColumn<R>) => {
    // As wide as what is in view of it; eight pixels on either side.
    const texts = visible.map((v) => rowAt(v.index)).flatMap((r) => (r ? c.text(r) : []));
    const pen = document.createElement("canvas").getContext("2d");
    if (!pen) return;
    pen.font = getComputedStyle(box.current ?? document.body).font;
    setWidth(c, Math.max(...[c.label, ...texts].map((s) => pen.measureText(s).width)) + 20);
  };
  const drag = (c: GridColumn<R>, e: React.PointerEvent<HTMLElement>) => {
    e.preventDefault();
    const start = e.clientX - widthOf(c);
    const el = e.currentTarget;
    el.setPointerCapture(e.pointerId);
    el.onpointermove = (m) => setWidth(c, m.clientX - start);
    el.onpointerup = () => {
      el.onpointermove = null;
      el.onpointerup = null;
    };
  };

  const headOf = (c: GridColumn<R>, left: number | undefined) => (
    <div
      key={c.id}
      role="columnheader"
      data-column={c.id}
      aria-colindex={order.indexOf(c) + 1}
      aria-sort={c.sorted ? (c.sorted === "up" ? "ascending" : "descending") : undefined}
      onFocus={() => setHeadAt(order.indexOf(c))}
      className={cx("group border-r border-line bg-paper", left === undefined ? "relative shrink-0" : "absolute top-0")}
      style={{ left, width: widthOf(c), height: headHeight }}
    >
      {c.head ?? (
        <div className={cx("truncate px-3 py-2 pr-6 text-[12px] font-medium text-ink-soft", c.right && "text-right")}>
          {c.label}
          {c.sorted === "up" && <ArrowUp size={12} aria-hidden className="ml-1 inline" />}
          {c.sorted === "down" && <ArrowDown size={12} aria-hidden className="ml-1 inline" />}
        </div>
      )}
      {c.head && c.sorted && (
        <span aria-hidden className="absolute top-1 right-6 rounded bg-paper text-ink-soft">
          {c.sorted === "up" ? <ArrowUp size={13} /> : <ArrowDown size={13} />}
        </span>
      )}
      <div className="absolute top-0.5 right-1 opacity-0 group-focus-within:opacity-100 group-hover:opacity-100">
        <Menu
          trigger={
            <button
              type="button"
              aria-label={`Column ${c.label}`}
              className="rounded bg-paper p-0.5 text-ink-soft hover:bg-act-soft"
            >
              <EllipsisVertical size={14} aria-hidden />
            </button>
          }
        >
          {c.onSort && (
            <>
              <MenuItem onSelect={() => c.onSort?.("up")}>Sort up</MenuItem>
              <MenuItem onSelect={() => c.onSort?.("down")}>Sort down</MenuItem>
              {c.sorted && <MenuItem onSelect={() => c.onSort?.(undefined)}>Do not sort by it</MenuItem>}
              <MenuLine />
            </>
          )}
          {c.onFind && (
            <>
              <MenuItem leads onSelect={c.onFind}>
                Find in it…
              </MenuItem>
              <MenuLine />
            </>
          )}
          <MenuItem onSelect={() => fit(c)}>As wide as its content</MenuItem>
          <MenuItem onSelect={() => setWidth(c, widthOf(c) * 1.4)}>Wider</MenuItem>
          <MenuItem onSelect={() => setWidth(c, widthOf(c) / 1.4)}>Narrower</MenuItem>
          <MenuLine />
          <MenuItem
            onSelect={() =>
              set({ pinned: setup.pinned.includes(c.id) ? setup.pinned.filter((x) => x !== c.id) : [...setup.pinned, c.id] })
            }
          >
            {setup.pinned.includes(c.id) ? "Let it scroll again" : "Keep it in view at the left"}
          </MenuItem>
          <MenuItem
            disabled={order.length < 2}
            why="It is the only one."
            onSelect={() => set({ hidden: [...setup.hidden, c.id] })}
          >
            Hide it
          </MenuItem>
          {setup.hidden.length > 0 && (
            <MenuItem onSelect={() => set({ hidden: [] })}>
              Show all columns ({columns.length - shown.length} are hidden)
            </MenuItem>
          )}
          <MenuItem onSelect={() => setSetup(none)}>All columns as at first</MenuItem>
        </Menu>
      </div>
      <div
        aria-hidden
        className="absolute top-0 right-0 h-full w-1.5 cursor-col-resize touch-none hover:bg-act"
        onPointerDown={(e) => drag(c, e)}
        onDoubleClick={() => fit(c)}
      />
    </div>
  );

  return (
    <div
      className="relative h-full min-h-0 min-w-0"
      style={p.most ? { height: `min(${headHeight + count * rowHeight + 2}px, ${p.most})` } : undefined}
    >
      <div
        ref={box}
        role="grid"
        aria-label={p.label}
        aria-rowcount={count}
        aria-colcount={order.length}
        aria-multiselectable
        aria-activedescendant={hereShown ? `${id}-cell` : undefined}
        tabIndex={0}
        onKeyDown={onKey}
        className="data-grid h-full overflow-auto bg-sheet"
      >
        <div style={{ width: cols.getTotalSize(), height: rows.getTotalSize() + headHeight }} className="relative">
          <div
            ref={headRow}
            role="row"
            onKeyDown={onHeadKey}
            className="sticky top-0 z-20 border-b border-line-strong bg-paper"
            style={{ height: headHeight, width: cols.getTotalSize() }}
          >
            <div className="sticky left-0 z-10 flex h-full bg-paper" style={{ width: fixedWidth }}>
              {p.margin && (
                <div
                  role="columnheader"
                  className="flex h-full shrink-0 items-end border-r border-line px-2 pb-1 text-[12px] text-ink-faint"
                  style={{ width: marginWidth }}
                >
                  {p.margin.head}
                </div>
              )}
              {pinned.map((c) => headOf(c, undefined))}
            </div>
            {looseInView.map((x) => headOf(x.column, x.left))}
          </div>
          {visible.map((v) => {
            const r = rowAt(v.index);
            const chosen = low !== high && v.index >= low && v.index <= high;
            return (
              <Row
                key={v.key}
                row={r}
                index={v.index}
                top={v.start + headHeight}
                height={rowHeight}
                width={cols.getTotalSize()}
                fixedWidth={fixedWidth}
                order={order}
                pinned={pinned}
                loose={looseInView}
                margin={p.margin}
                on={((r !== undefined && p.isOn?.(r)) ?? false) || chosen}
                here={at.row === v.index ? at.col : -1}
                cellId={`${id}-cell`}
                editing={editing?.row === v.index ? editing : undefined}
                acts={acts}
                widthOf={widthOf}
              />
            );
          })}
        </div>
        {p.children}
      </div>
      <div role="status" className="sr-only">
        {said}
      </div>
    </div>
  );
}

/** What the rows of a grid ask of it. */
interface Acts<R> {
  press: (row: number, col: number, extend: boolean) => void;
  edit: (row: number, col: number) => void;
  editor: (row: R, column: GridColumn<R>, start: string | undefined) => ReactNode;
  end: (move: "stay" | "down" | "right") => void;
  open: (row: R) => void;
}

interface RowProps<R> {
  row: R | undefined;
  index: number;
  top: number;
  height: number;
  width: number;
  fixedWidth: number;
  order: GridColumn<R>[];
  pinned: GridColumn<R>[];
  /** The others that are in view, and where they begin. */
  loose: { column: GridColumn<R>; left: number }[];
  margin: { width: number; cell: (row: R | undefined) => ReactNode } | undefined;
  on: boolean;
  /** Which of its cells has the focus; -1 is none. */
  here: number;
  cellId: string;
  editing: { col: number; start: string | undefined } | undefined;
  acts: RefObject<Acts<R> | undefined>;
  widthOf: (c: GridColumn<R>) => number;
}

/** A row of a grid. It is drawn once while others scroll past it. */
const Row = memo(function Row<R>(p: RowProps<R>) {
  const { row: r, on, acts, editing } = p;
  const cellOf = (c: GridColumn<R>, r: R, left: number | undefined) => {
    const col = p.order.indexOf(c);
    const here = p.here === col;
    const open = editing?.col === col;
    return (
      <div
        key={c.id}
        id={here ? p.cellId : undefined}
        role="gridcell"
        aria-colindex={col + 1}
        data-here={here || undefined}
        onMouseDown={(e) => acts.current?.press(p.index, col, e.shiftKey)}
        onDoubleClick={() => !open && acts.current?.edit(p.index, col)}
        className={cx(
          "h-full border-r border-b border-line",
          open ? "z-30 overflow-visible" : "overflow-hidden",
          left === undefined ? cx("shrink-0", on ? "bg-act-soft" : "bg-sheet") : "absolute top-0",
          c.right && "figures text-right",
        )}
        style={{ left, width: p.widthOf(c) }}
      >
        {open ? acts.current?.editor(r, c, editing.start) : c.cell(r)}
      </div>
    );
  };
  return (
    <div
      role="row"
      aria-rowindex={p.index + 1}
      aria-selected={on}
      onClick={(e) => {
        const own = (e.target as HTMLElement).closest("a, button, input, label"); // that is for what it leads to
        if (r && !own && !e.shiftKey) acts.current?.open(r);
      }}
      className={cx("absolute left-0", on ? "bg-act-soft" : "hover:bg-paper")}
      style={{ top: p.top, height: p.height, width: p.width, zIndex: editing ? 15 : undefined }}
    >
      <div className="sticky left-0 z-10 flex h-full" style={{ width: p.fixedWidth }}>
        {p.margin && (
          <div
            role="rowheader"
            className={cx(
              "figures flex h-full shrink-0 items-center gap-2 border-r border-b border-line px-2 text-[12px]",
              on ? "bg-act-soft" : "bg-paper",
            )}
            style={{ width: p.margin.width }}
          >
            {p.margin.cell(r)}
          </div>
        )}
        {r && p.pinned.map((c) => cellOf(c, r, undefined))}
      </div>
      {r && p.loose.map((x) => cellOf(x.column, r, x.left))}
    </div>
  );
}) as <R>(p: RowProps<R>) => ReactNode;
