import { useQuery } from "@tanstack/react-query";
import { Link, useParams, useSearchParams } from "react-router";
import { imports } from "../api/queries";
import { Button, Empty, Loading, Panel, tdClass, thClass, Wrong } from "../ui/parts";
import { count, Tally } from "../ui/verdict";
import { Upload } from "../ui/upload";
import { stationOf, when } from "./start";

export function ImportsPage() {
  const { workspace = "main" } = useParams();
  const [search, setSearch] = useSearchParams();
  const page = useQuery(imports(workspace, search.get("cursor") ?? ""));
  return (
    <div className="mx-auto max-w-[1280px] px-7 py-6 max-[900px]:px-3">
      <title>Imports · Uchi</title>
      <h1 className="mb-4 text-[26px]">Imports</h1>
      <Upload workspace={workspace} />
      <Panel className="mt-5">
        {page.error && !page.data ? (
          <Wrong error={page.error} className="m-4" />
        ) : !page.data ? (
          <Loading what="the imports" />
        ) : page.data.imports.length === 0 ? (
          <Empty title="No imports yet">Drop a file above to make the first.</Empty>
        ) : (
          <table className="w-full">
            <thead>
              <tr className="border-b border-line">
                {["No.", "Source", "Into", "State", "Rows", "Result", "By", "Changed"].map((h) => (
                  <th key={h} scope="col" className={thClass}>
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {page.data.imports.map((i) => (
                <tr key={i.id} className="border-b border-line last:border-0 hover:bg-act-soft">
                  <td className={`${tdClass} figures text-ink-soft`}>{i.id}</td>
                  <td className={tdClass}>
                    <Link className="font-medium text-act" to={`/w/${workspace}/imports/${i.id}/${stationOf(i)}`}>
                      {i.name}
                    </Link>
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
            </tbody>
          </table>
        )}
      </Panel>
      <div className="mt-3 flex gap-2">
        {search.get("cursor") && <Button onClick={() => setSearch({})}>Newest</Button>}
        {page.data?.next && <Button onClick={() => setSearch({ cursor: page.data.next ?? "" })}>Older</Button>}
      </div>
    </div>
  );
}
