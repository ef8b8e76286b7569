import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, must, type Hook, type NoticeKind } from "../api/client";
import { when } from "../pages/start";
import { Button, Confirm, Dialog, inputClass, Panel, Table, actsClass, tdClass, Ticked, Wrong } from "./parts";

const kinds: { kind: NoticeKind; label: string }[] = [
  { kind: "waits", label: "a file of a feed waits" },
  { kind: "failed", label: "a feed could not look" },
  { kind: "ended", label: "a feed has loaded a file" },
  { kind: "approval", label: "somebody asks for a yes" },
  { kind: "decided", label: "a yes was given or refused" },
  { kind: "handed_over", label: "an import was handed over" },
];

/** Other programs that are told what people are told. */
export function Hooks({ workspace }: { workspace: string }) {
  const client = useQueryClient();
  const key = ["hooks", workspace];
  const path = { workspace };
  const list = useQuery({
    queryKey: key,
    queryFn: () => must(api.GET("/workspaces/{workspace}/hooks", { params: { path } })),
  });
  const [url, setURL] = useState("");
  const [of, setOf] = useState<NoticeKind[]>(["waits", "failed", "ended"]);
  const [secret, setSecret] = useState("");
  const [removing, setRemoving] = useState<Hook>();
  const again = () => client.invalidateQueries({ queryKey: key });
  const add = useMutation({
    mutationFn: () => must(api.POST("/workspaces/{workspace}/hooks", { params: { path }, body: { url, kinds: of } })),
    onSuccess: (h) => {
      setSecret(h.secret ?? "");
      setURL("");
      void again();
    },
  });
  const remove = useMutation({
    mutationFn: (hook: number) =>
      must(api.DELETE("/workspaces/{workspace}/hooks/{hook}", { params: { path: { workspace, hook } } })),
    onSuccess: again,
  });
  return (
    <Panel title="Other programs that are told">
      {(list.data?.hooks.length ?? 0) > 0 && (
        <div className="overflow-x-auto">
          <Table head={["Address", "Told of", "Last call", ""]} wide>
            {list.data?.hooks.map((h) => (
              <tr key={h.id} className="border-b border-line">
                <td className={`${tdClass} max-w-[300px] truncate`}>{h.url}</td>
                <td className={tdClass}>{h.kinds.join(", ").replaceAll("_", " ")}</td>
                <td className={`${tdClass} max-w-[300px] truncate`}>
                  <LastCall h={h} />
                </td>
                <td className={actsClass}>
                  <Button look="quiet" aria-label={`Remove: the program at ${h.url}`} onClick={() => setRemoving(h)}>
                    Remove
                  </Button>
                </td>
              </tr>
            ))}
          </Table>
        </div>
      )}
      <form
        className="space-y-3 px-4 py-3"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate();
        }}
      >
        <div className="grid grid-cols-3 gap-x-4 gap-y-1.5 max-[700px]:grid-cols-1">
          {kinds.map((k) => (
            <Ticked
              key={k.kind}
              label={k.label}
              on={of.includes(k.kind)}
              onChange={(on) => setOf(on ? [...of, k.kind] : of.filter((x) => x !== k.kind))}
            />
          ))}
        </div>
        <div className="flex gap-2">
          <input
            aria-label="Address of the program"
            className={inputClass}
            placeholder="https://tools.example/uchi"
            value={url}
            onChange={(e) => setURL(e.target.value)}
          />
          <Button type="submit" look="act" disabled={!url.trim() || of.length === 0 || add.isPending}>
            Tell it
          </Button>
        </div>
      </form>
      <Wrong error={list.error ?? add.error ?? remove.error} className="m-3" />
      <Dialog open={secret !== ""} onClose={() => setSecret("")} title="The secret that calls are signed with, shown this once">
        <code className="block rounded-md bg-paper p-3 font-mono text-[12.5px] break-all">{secret}</code>
      </Dialog>
      <Confirm
        open={removing !== undefined}
        title="Tell it no more?"
        yes="Remove it"
        look="ask"
        onYes={() => {
          if (removing) remove.mutate(removing.id);
          setRemoving(undefined);
        }}
        onNo={() => setRemoving(undefined)}
      >
        The program at {removing?.url} is not called any more. To tell it again it is added anew, with another secret.
      </Confirm>
    </Panel>
  );
}

function LastCall({ h }: { h: Hook }) {
  const last = h.calls[0];
  if (h.paused) return <span className="text-hold">paused: {h.trouble}</span>;
  if (!last) return <span className="text-ink-soft">none yet</span>;
  if (last.sent_at) return <>{when(last.sent_at)}</>;
  return (
    <span className="text-ask">
      {last.given_up ? "given up" : "not yet"}: {last.trouble || "on its way"}
    </span>
  );
}
