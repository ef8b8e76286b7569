import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, must, type GoneCount, type Import } from "../api/client";
import { act, stampOf } from "../api/queries";
import { Button, Wrong } from "../ui/parts";
import { count } from "../ui/verdict";
import { useEditing } from "./edited";
import { routineOf, setDraft, type Kind } from "./mapping";

const shown = 8;

/** The children that are gone from the source, with what happens to them. */
export function Gone({ workspace, i, kind, gone }: { workspace: string; i: Import; kind: Kind; gone: GoneCount }) {
  const { editing } = useEditing();
  const [open, setOpen] = useState(false);
  const list = useQuery({
    queryKey: ["gone", workspace, i.id, stampOf(i), kind.name],
    enabled: open,
    queryFn: () =>
      must(
        api.GET("/workspaces/{workspace}/imports/{import}/gone", {
          params: { path: { workspace, import: i.id }, query: { draft: kind.name, limit: shown } },
        }),
      ),
  });
  const things = kind.t.plural.toLowerCase();
  const say = (what: string, policy: "leave" | "remove") =>
    void editing.put(what, setDraft(routineOf(i), kind.name, { gone: policy })).catch(() => undefined);
  return (
    <div className="px-2 text-[12.5px]">
      <p>
        {gone.records > 0 && (
          <>
            <b className="figures font-semibold">{count(gone.records)}</b> of {count(gone.of)}{" "}
            {gone.of === 1 ? "record" : "records"} that it speaks of:{" "}
            {gone.remove ? <b className="font-medium text-hold">deleted when all rows are loaded</b> : "left as they are"}.{" "}
          </>
        )}
        {gone.unsure > 0 && `${count(gone.unsure)} that rows which are not settled may mean: left as they are.`}
      </p>
      <div className="mt-1.5 flex flex-wrap gap-1.5 [&_button]:h-7 [&_button]:px-2 [&_button]:text-[12px]">
        <Button aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Hide them" : "Show them"}
        </Button>
        {gone.remove ? (
          <Button
            disabled={!act(i, "change_routine").can}
            onClick={() => say(`${things} that are not in the file stay`, "leave")}
          >
            Let them stay
          </Button>
        ) : (
          <Button
            disabled={!act(i, "change_routine").can}
            onClick={() => say(`${things} that are not in the file are deleted`, "remove")}
          >
            Delete them at the load
          </Button>
        )}
      </div>
      {open && list.data && (
        <ul className="mt-1.5 space-y-0.5">
          {list.data.records.map((r) => (
            <li key={r.record} className="truncate">
              <Link className="text-act underline" to={`/w/${workspace}/records/${r.type}/${r.record}`}>
                {r.record}
              </Link>{" "}
              {r.title} <span className="text-ink-soft">of {r.of}</span>
              {r.unsure && <span className="text-ink-soft">, not sure</span>}
            </li>
          ))}
          {list.data.next && <li className="text-ink-faint">… and others</li>}
        </ul>
      )}
      <Wrong error={list.error} />
    </div>
  );
}
