import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, must, type Import, type Run } from "../api/client";
import { act, stampOf, useImportActs } from "../api/queries";
import { when } from "../pages/start";
import { Button, Dialog, Labelled, Loading, inputClass, Wrong } from "../ui/parts";
import { UndoCounts } from "../ui/undocounts";
import { count, outcomeWords, Word } from "../ui/verdict";
import { Section } from "./panel";

/** What was done on the import; every load, and every undo, can be taken back. */
export function Runs({ workspace, i }: { workspace: string; i: Import }) {
  const [undoing, setUndoing] = useState<Run | "all">();
  const list = useQuery({
    queryKey: ["runs", workspace, i.id, stampOf(i)],
    placeholderData: (was) => was,
    queryFn: () =>
      must(api.GET("/workspaces/{workspace}/imports/{import}/runs", { params: { path: { workspace, import: i.id } } })),
  });
  const writes = (list.data?.runs ?? []).filter((r) => r.work === "load" || r.work === "undo");
  const can = act(i, "undo");
  return (
    <Section title="Loads">
      <Button disabled={!can.can} title={can.can ? undefined : can.why} onClick={() => setUndoing("all")}>
        Take back what was loaded…
      </Button>
      <Wrong error={list.error} className="mt-2" />
      <ul className="mt-2">
        {writes.map((r) => (
          <li key={r.id} className="border-t border-line py-1.5 text-[12.5px]">
            <div className="flex items-baseline justify-between gap-2">
              <span>
                {r.work === "undo" ? "Taken back" : r.part ? "Some rows loaded" : "Loaded"} by {r.person}{" "}
                <span className="text-ink-faint">{when(r.began_at)}</span>
              </span>
              {r.ended_at && can.can && (r.undone_by?.length ?? 0) === 0 && (
                <button type="button" className="shrink-0 text-act" onClick={() => setUndoing(r)}>
                  {r.work === "undo" ? "Load it again…" : "Take back…"}
                </button>
              )}
            </div>
            <div className="figures flex flex-wrap gap-x-3">
              {outcomeWords
                .filter((w) => r.outcomes?.[w])
                .map((w) => (
                  <span key={w}>
                    {count(r.outcomes?.[w] ?? 0)} <Word word={w} />
                  </span>
                ))}
              {(r.partly ?? 0) > 0 && <span>of {count(r.partly ?? 0)} that are held, other records were written</span>}
              {(r.removed ?? 0) > 0 && <span>{count(r.removed ?? 0)} deleted that were not in the file any more</span>}
              {r.trouble?.code && <span className="text-ask">{r.trouble.message}</span>}
            </div>
          </li>
        ))}
      </ul>
      {undoing && (
        <UndoDialog
          workspace={workspace}
          i={i}
          run={undoing === "all" ? undefined : undoing}
          onClose={() => setUndoing(undefined)}
        />
      )}
    </Section>
  );
}

/** What goes, what cannot, and why; then asks. */
export function UndoDialog({
  workspace,
  i,
  run,
  onClose,
}: {
  workspace: string;
  i: Import;
  run: Run | undefined;
  onClose: () => void;
}) {
  const acts = useImportActs(workspace, i.id);
  const [rows, setRows] = useState("");
  const [asked, setAsked] = useState("");
  const body = { ...(run ? { run: run.id } : {}), ...(asked ? { rows: asked } : {}) };
  const plan = useQuery({
    queryKey: ["undo", workspace, i.id, stampOf(i), body],
    retry: false,
    queryFn: () =>
      must(
        api.POST("/workspaces/{workspace}/imports/{import}/undo/plan", {
          params: { path: { workspace, import: i.id }, query: { limit: 100 } },
          body,
        }),
      ),
  });
  const does = plan.data?.counts.filter((c) => !c.why) ?? [];
  const again = run?.work === "undo";
  return (
    <Dialog
      open
      wide
      onClose={onClose}
      title={again ? "Load again what was taken back?" : run ? "Take this load back?" : "Take back what was loaded?"}
      foot={
        <>
          <Button onClick={onClose}>Not now</Button>
          <Button
            look="ask"
            disabled={does.length === 0 || plan.isFetching || acts.undo.isPending || rows.trim() !== asked}
            onClick={() => acts.undo.mutate(body, { onSuccess: onClose })}
          >
            {does.length ? does.map((c) => c.says).join(", ") : "Nothing to take back"}
          </Button>
        </>
      }
    >
      {!again && (
        <form
          className="mb-3 flex items-end gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            setAsked(rows.trim());
          }}
        >
          <div className="w-64">
            <Labelled label="Only what came of these rows" hint="Such as 2-11, 15; empty is all.">
              <input className={inputClass} value={rows} onChange={(e) => setRows(e.target.value)} />
            </Labelled>
          </div>
          <Button type="submit" className="mb-5" disabled={rows.trim() === asked}>
            See what that is
          </Button>
        </form>
      )}
      {plan.isPending && <Loading what="what would go" />}
      <Wrong error={plan.error ?? acts.undo.error} className="mb-2" />
      {plan.data && (
        <>
          <UndoCounts counts={plan.data.counts} />
          {plan.data.items.length > 0 && (
            <table className="w-full text-[12.5px]">
              <caption className="sr-only">Single records, those that stay first</caption>
              <thead>
                <tr className="border-b border-line text-left text-ink-soft">
                  <th scope="col" className="py-1 font-medium">
                    Record
                  </th>
                  <th scope="col" className="py-1 font-medium">
                    Row
                  </th>
                  <th scope="col" className="py-1 font-medium">
                    What happens
                  </th>
                </tr>
              </thead>
              <tbody>
                {plan.data.items.map((x) => (
                  <tr key={x.act + x.record} className="border-b border-line">
                    <td className="py-1 pr-3">
                      {x.act === "back" ? (
                        x.record
                      ) : (
                        <Link className="text-act" to={`/w/${workspace}/records/${x.type}/${x.record}`}>
                          {x.title || x.record}
                        </Link>
                      )}{" "}
                      <span className="text-ink-faint">{x.record}</span>
                    </td>
                    <td className="figures py-1 pr-3">{x.row ?? ""}</td>
                    <td className={x.why || x.kept?.length ? "py-1 text-ask" : "py-1"}>{x.says}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          <p className="mt-3 text-[12.5px] text-ink-soft">
            {again ? "" : "This is a run like a load: it is kept in the history of each record, and can itself be taken back."}
          </p>
        </>
      )}
    </Dialog>
  );
}
