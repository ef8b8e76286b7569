import { useQuery } from "@tanstack/react-query";
import { Search, X } from "lucide-react";
import { useCallback, useEffect, useRef, useState, type RefObject } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { Column, Import, RecordType, Routine } from "../api/client";
import { act, types, useImport, useImportActs, who } from "../api/queries";
import { FieldDialog } from "../ui/field";
import type { GridHandle } from "../ui/grid";
import { SidePanel } from "../ui/sidepanel";
import { stationOf } from "../pages/start";
import { Button, Confirm, cx, inputClass, Loading, Menu, MenuItem, Tabs, Ticked, Wrong } from "../ui/parts";
import { count, outcomeWords, TotalsBar, verdictWords, written } from "../ui/verdict";
import { cardHeight, ColumnCard, ColumnHead } from "./card";
import { Grid, noFilter, type Filter } from "./grid";
import {
  addToNotes,
  fieldFor,
  kindsOf,
  labelOf,
  notesField,
  originOf,
  place,
  placed,
  routineOf,
  saidName,
  setOriginIn,
  spot,
  telling,
  unmet,
  part,
  partsFor,
} from "./mapping";
import { ColumnsPanel, useSuggestions } from "./columns";
import { EditedImport, EditTrouble, SaveState, useEdited, useEditing, useKept } from "./edited";
import { SeveralColumns } from "./several";
import { SourcePanel } from "./source";
import { MatchingPanel } from "./matching";
import { Questions } from "./questions";
import { CheckPanel } from "./check";
import { LoadPanel } from "./load";
import { HandOver, Rehearsal, Rehearse, SameFile, TableBelow, useLike } from "./more";
import { ResultPanel } from "./result";
import { RowPanel } from "./rowpanel";

const stations = [
  { name: "source", label: "Source", panel: SourcePanel },
  { name: "columns", label: "Columns", panel: ColumnsPanel },
  { name: "matching", label: "Matching", panel: MatchingPanel },
  { name: "check", label: "Check", panel: CheckPanel },
  { name: "load", label: "Load", panel: LoadPanel },
  { name: "result", label: "Result", panel: ResultPanel },
] as const;

/** One import is one page: six stations over the grid with the rows of the source. */
export function Bench() {
  const { workspace = "main", id = "" } = useParams();
  const shown = useImport(workspace, Number(id));
  const kinds = useQuery(types(workspace));
  if (!shown.data || !kinds.data) {
    const error = shown.error ?? kinds.error;
    return error ? <Wrong error={error} className="m-6" /> : <Loading what="the import" />;
  }
  return (
    <EditedImport key={`${workspace}/${id}`} workspace={workspace} i={shown.data}>
      <OpenBench workspace={workspace} read={shown.data} types={kinds.data.types} />
    </EditedImport>
  );
}

function OpenBench({ workspace, read, types: all }: { workspace: string; read: Import; types: RecordType[] }) {
  const { station = "source" } = useParams();
  const [search, setSearch] = useSearchParams();
  const go = useNavigate();
  const { id } = read;
  const acts = useImportActs(workspace, id);
  const me = useQuery(who);
  const { editing } = useEditing();
  const [making, setMaking] = useState<Column>();
  const [asking, setAsking] = useState<"discard" | "close">();
  const [handing, setHanding] = useState(false);
  const [rehearsing, setRehearsing] = useState(false);
  const like = useLike(workspace, id);
  const i = useEdited(read);
  const grid = useRef<GridHandle>(null);
  const searchBox = useRef<HTMLInputElement>(null);
  const [hides, setHides] = useKept("hidden columns", { placed: false, blank: false });
  const [shownOpen, setShownOpen] = useState("");
  const [several, setSeveral] = useState(false);
  const known = useSuggestions(workspace, i);
  const [tab, setTab] = useState<"station" | "row">(search.get("row") ? "row" : "station");

  const filter: Filter = {
    verdict: search.get("verdict") ?? "",
    outcome: search.get("outcome") ?? "",
    problem: search.get("problem") ?? "",
    field: search.get("field") ?? "",
    reason: search.get("reason") ?? "",
    kind: search.get("kind") ?? "",
    text: search.get("text") ?? "",
    column: search.get("column") ?? "",
  };
  const narrowed = Object.values(filter).some((v) => v !== "");
  const setQuery = useCallback(
    // A filter is a step that Back takes back; walking the rows is none.
    (part: Record<string, string>, step = true) =>
      setSearch(
        (was) => {
          for (const [k, v] of Object.entries(part)) {
            if (v) was.set(k, v);
            else was.delete(k);
          }
          return was;
        },
        { replace: !step },
      ),
    [setSearch],
  );
  const toStation = (name: string) => {
    setTab("station");
    const keep = ["check", "load", "result"].includes(name) ? search.toString() : "";
    void go(`/w/${workspace}/imports/${id}/${name}${keep ? `?${keep}` : ""}`);
  };
  const { busy, state } = i;
  useEffect(() => {
    if (state === "loading" && busy === "load" && station === "check") void go(`/w/${workspace}/imports/${id}/load`);
  }, [state, busy, station, workspace, id, go]);

  // Rows that were mended are no longer those that were chosen: with the last of them all rows are shown again.
  const { totals } = i;
  const mended =
    !!totals &&
    busy === "" &&
    state === "ready" &&
    station === "check" &&
    !search.get("asking") &&
    (filter.problem !== ""
      ? !totals.problems.some((p) => p.code === filter.problem && p.field === filter.field)
      : filter.verdict !== "" && !totals.verdicts[filter.verdict]);
  useEffect(() => {
    if (mended) setQuery({ ...noFilter }, false);
  }, [mended, setQuery]);

  const put = (what: string, r: Routine) => void editing.put(what, r).catch(() => undefined); // said above the grid
  const rowKinds = kindsOf(routineOf(i), all);
  const t = all.find((x) => x.name === i.into);
  const kindOf = (header: string) =>
    rowKinds.find((k) =>
      placed(i)
        .get(header)
        ?.some((s) => s.startsWith(`${k.name}.`)),
    ) ?? rowKinds[0];
  const makingIn = making && kindOf(making.header);
  const at = stations.find((s) => s.name === station) ?? stations[0];
  const selected = Number(search.get("row") ?? 0);
  const atColumns = at.name === "columns";
  const afterCheck = ["check", "load", "result"].includes(at.name);
  const byOutcome = outcomeWords.some((w) => i.outcomes[w]) && at.name !== "check";
  const fixed = !act(i, "change_routine").can;
  const PanelOf = at.panel;
  const goes = placed(i);
  const tells = telling(i);
  const open = (i.columns ?? []).filter((c) => !goes.has(c.header) && !tells.has(c.header) && c.filled > 0).map((c) => c.header);
  const notesOf = (header: string) => {
    const k = kindOf(header);
    return k && notesField(k.t) ? (column: string) => put(`${column} → notes`, addToNotes(i, column, k)) : undefined;
  };
  const questions = at.name === "check" && search.get("asking") !== null && (i.totals?.verdicts["ask"] ?? 0) > 0;
  const work = i.busy ? i.of || i.rows : 0;

  return (
    <div className="flex h-full flex-col max-[900px]:h-auto max-[900px]:min-h-full">
      <title>{`${i.name} · ${at.label} · Uchi`}</title>
      <header className="flex flex-wrap items-center gap-x-3 gap-y-1.5 px-5 pt-3 pb-2 max-[900px]:px-3">
        <h1 className="max-w-full truncate text-[20px]" dir="auto">
          {i.name}
        </h1>
        <span className="text-[12.5px] whitespace-nowrap text-ink-soft">
          {i.bundle && (
            <>
              <Link className="text-act underline" to={`/w/${workspace}/bundles/${i.bundle}`}>
                bundle {i.bundle}
              </Link>
              {" · "}
            </>
          )}
          import {i.id} · {i.state}
          {rowKinds.length > 0 && ` · into ${rowKinds.map((k) => k.t.plural.toLowerCase()).join(", ")}`}
        </span>
        <div className="ml-auto flex flex-wrap items-center justify-end gap-2">
          <SaveState disabled={fixed} />
          <SearchRows
            box={searchBox}
            value={filter.text}
            column={filter.column}
            onChange={(text) => setQuery({ text })}
            onEverywhere={() => setQuery({ column: "" })}
          />
          <Menu trigger={<Button aria-label="More">More</Button>}>
            <MenuItem onSelect={() => location.assign(`/api/v1/workspaces/${workspace}/imports/${i.id}/source`)}>
              Download the source
            </MenuItem>
            <MenuItem onSelect={() => location.assign(`/api/v1/workspaces/${workspace}/imports/${i.id}/rows.csv`)}>
              Download all rows
            </MenuItem>
            <MenuItem disabled={!act(i, "cancel").can} why={act(i, "cancel").why} onSelect={() => acts.cancel.mutate()}>
              Cancel what runs
            </MenuItem>
            <MenuItem disabled={!act(i, "close").can} why={act(i, "close").why} onSelect={() => setAsking("close")}>
              Close this import
            </MenuItem>
            <MenuItem disabled={!act(i, "discard").can} why={act(i, "discard").why} onSelect={() => setAsking("discard")}>
              Discard this import
            </MenuItem>
            <MenuItem onSelect={() => like.choose()}>A new file, set up like this…</MenuItem>
            <MenuItem disabled={me.data?.role === "viewer"} why="It takes the role operator." onSelect={() => setHanding(true)}>
              Hand it over to a colleague…
            </MenuItem>
            <MenuItem
              disabled={me.data?.role === "viewer"}
              why="It takes the role operator."
              onSelect={() => setRehearsing(true)}
            >
              Rehearse it in another workspace…
            </MenuItem>
            {act(i, "reopen").can && <MenuItem onSelect={() => acts.reopen.mutate()}>Take this import up again</MenuItem>}
          </Menu>
        </div>
      </header>
      <input
        ref={like.input}
        type="file"
        aria-label="New file"
        className="sr-only"
        tabIndex={-1}
        onChange={(e) => {
          like.take(e.target.files?.[0]);
          e.target.value = "";
        }}
      />
      {handing && <HandOver workspace={workspace} i={i} onClose={() => setHanding(false)} />}
      {rehearsing && (
        <Rehearse workspace={workspace} i={i} admin={me.data?.role === "administrator"} onClose={() => setRehearsing(false)} />
      )}
      <EditTrouble />
      <Rehearsal workspace={workspace} i={i} />
      <SameFile workspace={workspace} i={i} />
      <TableBelow workspace={workspace} i={i} />
      <nav aria-label="Stations" className="grid grid-cols-6 border-y border-line bg-sheet">
        {stations.map((s, n) => (
          <button
            key={s.name}
            type="button"
            aria-current={s.name === at.name ? "step" : undefined}
            onClick={() => toStation(s.name)}
            className={cx(
              "relative min-w-0 border-r border-line px-4 py-1.5 text-left last:border-r-0 max-[900px]:px-1.5",
              s.name === at.name ? "bg-act-soft shadow-[inset_0_-3px_0_var(--act)]" : "hover:bg-paper",
            )}
          >
            <span className="block truncate font-head text-[15px]">
              <span className="mr-1.5 text-ink-faint max-[900px]:hidden">{n + 1}</span>
              {s.label}
            </span>
            <span className="figures block truncate text-[12px] text-ink-soft">{countOf(s.name, i, unmet(rowKinds).length)}</span>
          </button>
        ))}
        {work > 0 && (
          <div
            className="col-span-6 h-1 bg-line"
            role="progressbar"
            aria-label={`Progress of ${i.busy}`}
            aria-valuenow={i.done}
            aria-valuemax={work}
          >
            <div className="h-full bg-act transition-[width]" style={{ width: `${Math.min(100, (100 * i.done) / work)}%` }} />
          </div>
        )}
      </nav>
      <div className="flex min-h-0 flex-1 max-[900px]:flex-col">
        <div
          className={cx(
            "grid min-h-0 min-w-0 flex-1 grid-cols-[minmax(0,1fr)] max-[900px]:flex-none",
            questions
              ? "grid-rows-[auto_minmax(0,1fr)_168px] max-[900px]:h-[640px]"
              : "grid-rows-[auto_1fr] max-[900px]:h-[420px]",
          )}
        >
          <div className={cx(afterCheck && (byOutcome || i.totals) && "border-b border-line px-4 py-2")}>
            {atColumns && (
              <div className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-line px-4 py-1.5">
                <Button
                  look={open.length > 0 ? "ask" : "plain"}
                  disabled={open.length === 0}
                  onClick={() => {
                    const next = open[(open.indexOf(shownOpen) + 1) % open.length] ?? "";
                    setShownOpen(next);
                    grid.current?.showColumn(next);
                  }}
                >
                  {open.length === 0
                    ? "No column needs you"
                    : `Next of ${count(open.length)} ${open.length === 1 ? "column" : "columns"} without a field`}
                </Button>
                <Ticked
                  label="hide those that are placed"
                  on={hides.placed}
                  onChange={(placed) => setHides({ ...hides, placed })}
                />
                <Ticked label="hide blank ones" on={hides.blank} onChange={(blank) => setHides({ ...hides, blank })} />
                <Button disabled={fixed} onClick={() => setSeveral(true)}>
                  Several at once…
                </Button>
              </div>
            )}
            {afterCheck && byOutcome && (
              <TotalsBar
                totals={i.outcomes}
                words={outcomeWords}
                chosen={filter.outcome}
                narrowed={narrowed}
                onChoose={(w) => setQuery({ ...noFilter, outcome: w })}
              />
            )}
            {afterCheck && !byOutcome && i.totals && (
              <TotalsBar
                totals={i.totals.verdicts}
                words={verdictWords}
                chosen={filter.verdict}
                narrowed={narrowed}
                onChoose={(w) => setQuery({ ...noFilter, verdict: w })}
              />
            )}
          </div>
          {questions && (
            <Questions
              workspace={workspace}
              i={i}
              types={all}
              row={selected}
              draft={search.get("draft") ?? ""}
              onGo={(row, draft) => setQuery({ row: String(row), draft: rowKinds.length > 1 ? draft : "" }, false)}
              onEnd={() => setQuery({ asking: "", draft: "" })}
            />
          )}
          <Grid
            handle={grid}
            editable={act(i, "edit").can}
            {...(atColumns
              ? { shows: (c: Column) => !(hides.placed && goes.has(c.header)) && !(hides.blank && c.filled === 0) }
              : {})}
            workspace={workspace}
            i={i}
            kinds={rowKinds}
            filter={filter}
            sort={search.get("sort") ?? ""}
            onSort={(sort) => setQuery({ sort })}
            onFind={(column) => {
              setQuery({ column }, false);
              searchBox.current?.focus();
            }}
            selected={selected}
            onWalk={(row) => setQuery({ row: String(row) }, false)}
            onOpen={(row) => {
              setQuery({ row: String(row) }, false);
              setTab("row");
            }}
            carded={atColumns}
            headHeight={atColumns ? cardHeight : 42}
            head={(c) =>
              atColumns ? (
                <ColumnCard
                  i={i}
                  c={c}
                  kinds={rowKinds}
                  suggestion={known.of.get(c.header)}
                  awaited={known.awaited}
                  unlike={known.unlike.get(c.header)}
                  opposite={known.opposite.has(c.header)}
                  partings={known.partings}
                  disabled={fixed}
                  onPlace={(column, to, also) =>
                    put(
                      to ? `${column} → ${labelOf(rowKinds, saidName(rowKinds, to))}` : `${column} taken out`,
                      place(i, column, to, also),
                    )
                  }
                  onPart={(column, p) =>
                    put(
                      `${column} → ${partsFor(i, column, p)
                        .map((f) => labelOf(rowKinds, saidName(rowKinds, spot(p.draft, f.field))))
                        .join(" + ")}`,
                      part(i, column, p),
                    )
                  }
                  onRead={(at, how) =>
                    put(
                      `how ${c.header} is read`,
                      at.reduce((r, s) => setOriginIn(r, s, { ...originOf(i, s), ...how }), routineOf(i)),
                    )
                  }
                  onNotes={notesOf(c.header)}
                  onNew={me.data?.role === "administrator" ? setMaking : undefined}
                />
              ) : (
                <ColumnHead i={i} c={c} kinds={rowKinds} />
              )
            }
          />
        </div>
        <SidePanel wide={tab === "row" && rowKinds.length > 1}>
          <Tabs
            label="Side panel"
            value={tab}
            onChange={(v) => setTab(v as "station" | "row")}
            options={[
              { value: "station", label: at.label },
              { value: "row", label: rowKinds.length > 1 ? "Row as records" : "Row as record" },
            ]}
          >
            {tab === "station" ? (
              <PanelOf
                workspace={workspace}
                i={i}
                kinds={rowKinds}
                t={t}
                types={all}
                row={selected}
                draft={search.get("draft") ?? ""}
                onDraft={(draft) => setQuery({ draft })}
                filter={filter}
                onFilter={(f) => setQuery({ ...f })}
                onStation={toStation}
                onAsk={() => setQuery({ ...noFilter, verdict: "ask", asking: "1", row: "" })}
              />
            ) : (
              <RowPanel
                workspace={workspace}
                i={i}
                row={selected}
                kinds={rowKinds}
                onGo={(row) => setQuery({ row: String(row) }, false)}
              />
            )}
          </Tabs>
        </SidePanel>
      </div>
      <Confirm
        open={asking !== undefined}
        title={asking === "close" ? `Close ${i.name}?` : `Discard ${i.name}?`}
        yes={asking === "close" ? "Close it" : `Discard ${count(i.rows)} rows`}
        look={asking === "close" ? "act" : "ask"}
        onYes={() => {
          if (asking === "close") acts.close.mutate();
          else acts.discard.mutate(undefined, { onSuccess: () => void go(`/w/${workspace}/imports`) });
          setAsking(undefined);
        }}
        onNo={() => setAsking(undefined)}
      >
        {asking === "close"
          ? "It can no longer be changed or loaded. Its records, its history and its outcomes stay."
          : `The import with its ${count(i.rows)} rows, its mapping and its answers goes. No record was written by it, and none changes.`}
      </Confirm>
      {several && <SeveralColumns i={i} kinds={rowKinds} suggested={known.of} onEdit={put} onClose={() => setSeveral(false)} />}
      {making && makingIn && (
        <FieldDialog
          workspace={workspace}
          t={makingIn.t}
          start={fieldFor(making, makingIn.t)}
          onClose={() => setMaking(undefined)}
          onAdded={(field) => put(`${making.header} → ${field}`, place(i, making.header, spot(makingIn.name, field)))}
        />
      )}
    </div>
  );
}

/** The live count of each station. */
function countOf(name: string, i: Import, missing: number): string {
  const v = i.totals?.verdicts ?? {};
  const w = written(i.totals);
  switch (name) {
    case "source":
      return i.busy === "read"
        ? `reading, ${count(i.done)} rows`
        : i.trouble?.code && !i.rows
          ? "cannot be read"
          : `${count(i.rows)} rows`;
    case "columns":
      return i.columns
        ? `${new Set([...placed(i).keys(), ...telling(i).keys()]).size} of ${i.columns.length} placed${missing ? `, ${missing} required missing` : ""}`
        : "";
    case "matching":
      return i.routine ? (i.routine.may === "create_or_update" ? "create or update" : `only ${i.routine.may}`) : "";
    case "check":
      if (i.busy === "check") return `checking, ${count(i.done)} rows`;
      if (!i.totals) return "not checked";
      return (
        [v["ask"] && `${count(v["ask"])} asked`, v["hold"] && `${count(v["hold"])} held`].filter(Boolean).join(", ") ||
        "nothing held"
      );
    case "load":
      if (i.state === "loading") return `${count(i.done)} of ${count(i.of || i.rows)}`;
      return i.state === "ready"
        ? `${count((w["create"] ?? 0) + (w["update"] ?? 0) + (w["delete"] ?? 0))} to write`
        : ["loaded", "paused", "stopped", "closed"].includes(i.state)
          ? i.state
          : "not yet";
  }
  const n = (i.outcomes["created"] ?? 0) + (i.outcomes["updated"] ?? 0);
  return n ? `${count(n)} written` : stationOf(i) === "result" ? "nothing written" : "not yet";
}

function SearchRows(p: {
  box: RefObject<HTMLInputElement | null>;
  value: string;
  /** The header of the one column that is searched; empty for all. */
  column: string;
  onChange: (v: string) => void;
  onEverywhere: () => void;
}) {
  const [text, setText] = useState(p.value);
  useEffect(() => setText(p.value), [p.value]);
  const asks = p.column ? `Search “${p.column}”` : "Search the rows";
  return (
    <form
      className="relative w-56"
      onSubmit={(e) => {
        e.preventDefault();
        p.onChange(text.trim());
      }}
    >
      <Search size={14} className="absolute top-2.5 left-2.5 text-ink-faint" aria-hidden />
      <input
        ref={p.box}
        data-search
        aria-label={asks}
        className={cx(inputClass, "pl-8", p.column && "pr-8")}
        placeholder={asks}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          if (!e.target.value) p.onChange("");
        }}
      />
      {p.column && (
        <button
          type="button"
          aria-label="Search all columns"
          title={`Only “${p.column}” is searched. Search all columns.`}
          className="absolute top-1 right-1 rounded p-1.5 text-ink-soft hover:bg-act-soft"
          onClick={p.onEverywhere}
        >
          <X size={14} aria-hidden />
        </button>
      )}
    </form>
  );
}
