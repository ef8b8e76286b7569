import { useQuery } from "@tanstack/react-query";
import { Link, useParams, useSearchParams } from "react-router";
import type { Import } from "../api/client";
import { imports, types, who, type Imports } from "../api/queries";
import { Button, Choose, Empty, inputClass, Loading, Panel, Table, tdClass, Ticked, Wrong } from "../ui/parts";
import { count, Tally } from "../ui/verdict";
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
        was.delete("cursor");
        if (v) was.set(name, v);
        else was.delete(name);
        return was;
      },
      { replace: true },
    );
  const which: Imports = {
    ...(said("cursor") ? { cursor: said("cursor") } : {}),
    ...(said("text") ? { text: said("text") } : {}),
    ...(said("state") ? { state: [said("state") as Import["state"]] } : {}),
    ...(said("into") ? { into: said("into") } : {}),
    ...(said("person") ? { person: said("person") } : {}),
    ...(said("from") ? { from: said("from") } : {}),
    ...(said("to") ? { to: said("to") } : {}),
  };
  const older = (cursor: string) =>
    setSearch((was) => {
      if (cursor) was.set("cursor", cursor);
      else was.delete("cursor");
      return was;
    });
  const filtered = Object.keys(which).some((k) => k !== "cursor");
  const page = useQuery(imports(workspace, which));
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
        ) : page.data.imports.length === 0 ? (
          <Empty title={filtered ? "No such imports" : "No imports yet"}>
            {filtered ? "Choose otherwise, or show all." : "Drop a file above to make the first."}
          </Empty>
        ) : (
          <Table head={["No.", "Source", "Into", "State", "Rows", "Result", "By", "Changed"]}>
            {page.data.imports.map((i) => (
              <tr key={i.id} className="border-b border-line last:border-0 hover:bg-act-soft">
                <td className={`${tdClass} figures text-ink-soft`}>{i.id}</td>
                <td className={tdClass}>
                  <Link className="font-medium text-act" to={`/w/${workspace}/imports/${i.id}/${stationOf(i)}`}>
                    {i.name}
                  </Link>
                  {i.bundle && (
                    <Link className="ml-2 text-[12.5px] text-ink-soft underline" to={`/w/${workspace}/bundles/${i.bundle}`}>
                      bundle {i.bundle}
                    </Link>
                  )}
                </td>
                <td className={tdClass}>{i.into}</td>
                <td className={tdClass}>{i.trouble ? <span className="text-ask">{i.state}, in trouble</span> : i.state}</td>
                <td className={`${tdClass} figures text-right`}>{count(i.rows)}</td>
                <td className={tdClass}>
                  <Tally outcomes={i.outcomes} verdicts={i.totals?.verdicts} />
                </td>
                <td className={tdClass}>{i.made_by}</td>
                <td className={`${tdClass} whitespace-nowrap`}>{when(i.changed_at)}</td>
              </tr>
            ))}
          </Table>
        )}
      </Panel>
      <div className="mt-3 flex gap-2">
        {said("cursor") && <Button onClick={() => older("")}>Newest</Button>}
        {page.data?.next && <Button onClick={() => older(page.data.next ?? "")}>Older</Button>}
      </div>
    </div>
  );
}
