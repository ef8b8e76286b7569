import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import type { Import } from "../api/client";
import { imports, types, who, type Imports } from "../api/queries";
import { DataGrid, textColumn, useMore, type GridColumn } from "../ui/grid";
import { Button, Choose, Empty, inputClass, Loading, Panel, Ticked, Wrong } from "../ui/parts";
import { count, Tally, tallyText } from "../ui/verdict";
import { Upload } from "../ui/upload";
import { Bundles, stationOf, when } from "./start";

const any = "any";
const states: Import["state"][] = ["open", "ready", "loading", "paused", "loaded", "stopped", "undone", "closed", "discarded"];

export function ImportsPage() {
  const { workspace = "main" } = useParams();
  const [search, setSearch] = useSearchParams();
  const said = (name: string) => search.get(name) ?? "";
  const put = (name: string, v: string) =>
    setSearch(
      (was) => {
        if (v) was.set(name, v);
        else was.delete(name);
        return was;
      },
      { replace: true },
    );
  const which: Imports = {
    ...(said("text") ? { text: said("text") } : {}),
    ...(said("state") ? { state: [said("state") as Import["state"]] } : {}),
    ...(said("into") ? { into: said("into") } : {}),
    ...(said("person") ? { person: said("person") } : {}),
    ...(said("from") ? { from: said("from") } : {}),
    ...(said("to") ? { to: said("to") } : {}),
  };
  const filtered = Object.keys(which).length > 0;
  const page = useInfiniteQuery(imports(workspace, which));
  const rows = page.data?.pages.flatMap((p) => p.imports) ?? [];
  const onView = useMore(page, rows.length - 20);
  const go = useNavigate();
  const kinds = useQuery(types(workspace));
  const me = useQuery(who);
  return (
    <div className="mx-auto max-w-[1280px] px-7 py-6 max-[900px]:px-3">
      <title>Imports · Uchi</title>
      <h1 className="mb-4 text-[26px]">Imports</h1>
      <Upload workspace={workspace} />
      <Bundles workspace={workspace} />
      <div role="search" aria-label="Imports" className="mt-5 flex flex-wrap items-center gap-2">
        <input
          data-search
          aria-label="Part of the source's name"
          placeholder="Search by name"
          className={`${inputClass} w-56!`}
          value={said("text")}
          onChange={(e) => put("text", e.target.value)}
        />
        <Choose
          label="State"
          className="w-40!"
          value={said("state") || any}
          options={[{ value: any, label: "any state" }, ...states.map((v) => ({ value: v, label: v }))]}
          onChange={(v) => put("state", v === any ? "" : v)}
        />
        <Choose
          label="Record type"
          className="w-44!"
          value={said("into") || any}
          options={[
            { value: any, label: "any record type" },
            ...(kinds.data?.types ?? []).map((t) => ({ value: t.name, label: t.label })),
          ]}
          onChange={(v) => put("into", v === any ? "" : v)}
        />
        <label className="flex items-center gap-1.5 text-[12.5px] text-ink-soft">
          from
          <input
            type="date"
            className={`${inputClass} w-36!`}
            value={said("from")}
            onChange={(e) => put("from", e.target.value)}
          />
        </label>
        <label className="flex items-center gap-1.5 text-[12.5px] text-ink-soft">
          to
          <input type="date" className={`${inputClass} w-36!`} value={said("to")} onChange={(e) => put("to", e.target.value)} />
        </label>
        <Ticked label="only mine" on={said("person") !== ""} onChange={(on) => put("person", on ? (me.data?.email ?? "") : "")} />
        {filtered && (
          <Button look="quiet" onClick={() => setSearch({})}>
            Show all
          </Button>
        )}
      </div>
      <Panel className="mt-3">
        {page.error && !page.data ? (
          <Wrong error={page.error} className="m-4" />
        ) : !page.data ? (
          <Loading what="the imports" />
        ) : rows.length === 0 ? (
          <Empty title={filtered ? "No such imports" : "No imports yet"}>
            {filtered ? "Choose otherwise, or show all." : "Drop a file above to make the first."}
          </Empty>
        ) : (
          <DataGrid
            label="Imports"
            name="imports"
            columns={gridColumns(workspace)}
            count={rows.length}
            rowAt={(n) => rows[n]}
            onView={onView}
            rowHeight={36}
            most="70vh"
            onOpen={(i) => void go(addressOf(workspace, i))}
          />
        )}
      </Panel>
    </div>
  );
}

/** Where an import is looked at. */
function addressOf(workspace: string, i: Import): string {
  return `/w/${workspace}/imports/${i.id}/${stationOf(i)}`;
}

function gridColumns(workspace: string): GridColumn<Import>[] {
  return [
    textColumn({ id: "number", label: "No.", width: 58, right: true, text: (i) => String(i.id) }),
    {
      id: "source",
      label: "Source",
      width: 206,
      text: (i) => i.name,
      cell: (i) => (
        <div className="flex items-baseline gap-2 px-3 leading-[35px]" title={i.name}>
          <Link tabIndex={-1} className="truncate font-medium text-act" to={addressOf(workspace, i)}>
            {i.name}
          </Link>
          {i.bundle && (
            <Link
              tabIndex={-1}
              className="ml-auto shrink-0 text-[12.5px] text-ink-soft underline"
              to={`/w/${workspace}/bundles/${i.bundle}`}
            >
              bundle {i.bundle}
            </Link>
          )}
        </div>
      ),
    },
    textColumn({ id: "into", label: "Into", width: 102, text: (i) => i.into ?? "" }),
    {
      id: "state",
      label: "State",
      width: 88,
      text: (i) => i.state,
      cell: (i) => (
        <div className="truncate px-3 leading-[35px]">
          {i.trouble ? <span className="text-ask">{i.state}, in trouble</span> : i.state}
        </div>
      ),
    },
    textColumn({ id: "rows", label: "Rows", width: 64, right: true, text: (i) => count(i.rows) }),
    {
      id: "result",
      label: "Result",
      width: 300,
      text: (i) => tallyText(i.outcomes, i.totals?.verdicts),
      cell: (i) => (
        <div className="overflow-hidden px-3 leading-[35px]" title={tallyText(i.outcomes, i.totals?.verdicts)}>
          <Tally line outcomes={i.outcomes} verdicts={i.totals?.verdicts} />
        </div>
      ),
    },
    textColumn({ id: "by", label: "By", width: 120, text: (i) => i.made_by }),
    textColumn({ id: "changed", label: "Changed", width: 106, text: (i) => when(i.changed_at) }),
  ];
}
