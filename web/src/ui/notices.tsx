import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, must, type NoticeKind } from "../api/client";
import { when } from "../pages/start";
import { Panel, Ticked, Wrong } from "./parts";

const kinds: { kind: NoticeKind; label: string }[] = [
  { kind: "waits", label: "A file of a feed of mine waits for a person" },
  { kind: "failed", label: "A feed of mine could not look" },
  { kind: "ended", label: "A feed of mine has loaded a file" },
  { kind: "approval", label: "Somebody asks for a second person’s yes" },
  { kind: "decided", label: "What I asked for was decided" },
  { kind: "handed_over", label: "An import was handed over to me" },
];

/** Of what I am told, and what I was. */
export function Notices() {
  const client = useQueryClient();
  const list = useQuery({ queryKey: ["notices"], queryFn: () => must(api.GET("/notices")) });
  const set = useMutation({
    mutationFn: (told: NoticeKind[]) => must(api.PUT("/notices", { body: { told } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["notices"] }),
  });
  const told = list.data?.told ?? [];
  return (
    <Panel title="What I am told">
      <div className="grid grid-cols-2 gap-x-4 gap-y-1.5 px-4 py-3 max-[700px]:grid-cols-1">
        {kinds.map((k) => (
          <Ticked
            key={k.kind}
            label={k.label}
            on={told.includes(k.kind)}
            disabled={!list.data || set.isPending}
            onChange={(on) => set.mutate(on ? [...told, k.kind] : told.filter((x) => x !== k.kind))}
          />
        ))}
      </div>
      <p className="border-b border-line px-4 pb-3 text-[12.5px] text-ink-soft">
        {list.data?.mail ? "Here, and by mail." : "Here alone: the service has no mail server."}
      </p>
      <ol className="max-h-80 overflow-auto">
        {list.data?.notices.slice(0, 20).map((n) => (
          <li key={n.id} className="border-b border-line px-4 py-2.5 last:border-0">
            <div className="flex justify-between gap-3">
              {n.link ? (
                <Link className="font-medium text-act" to={n.link}>
                  {n.subject}
                </Link>
              ) : (
                <b>{n.subject}</b>
              )}
              <span className="text-[12px] whitespace-nowrap text-ink-faint">{when(n.made_at)}</span>
            </div>
            {n.lines.map((l) => (
              <div key={l} className="text-[12.5px] text-ink-soft">
                {l}
              </div>
            ))}
            {n.trouble && (
              <div className="text-[12.5px] text-hold">
                {n.given_up ? "It could not be mailed: " : "It is not mailed yet: "}
                {n.trouble}
              </div>
            )}
          </li>
        ))}
        {list.data?.notices.length === 0 && <li className="px-4 py-3 text-ink-soft">Nothing yet.</li>}
      </ol>
      <Wrong error={list.error ?? set.error} className="m-3" />
    </Panel>
  );
}
