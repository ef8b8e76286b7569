import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { api, must, type Filling } from "../api/client";
import { workspaces } from "../api/queries";
import { when } from "../pages/start";
import { Button, Choose, Confirm, Dialog, inputClass, Labelled, Panel, actsClass, tdClass, Wrong } from "./parts";
import { toast } from "./toast";
import { count } from "./verdict";

/** How many records come along into a copy. */
export const shares = [0, 1, 10, 30, 100].map((n) => ({ value: String(n), label: n === 0 ? "none" : `${n} of a hundred` }));

/** The workspaces: a copy to rehearse in, other words, an end. */
export function Workspaces() {
  const list = useQuery(workspaces);
  const client = useQueryClient();
  const go = useNavigate();
  const { workspace = "main" } = useParams();
  const [copying, setCopying] = useState<string>();
  const [renaming, setRenaming] = useState<string>();
  const [ending, setEnding] = useState<string>();
  const held = useQuery({
    queryKey: ["held", ending],
    enabled: ending !== undefined,
    queryFn: () => must(api.GET("/workspaces/{workspace}", { params: { path: { workspace: ending ?? "" } } })),
  });
  const again = () => client.invalidateQueries({ queryKey: ["workspaces"] });
  const rename = useMutation({
    mutationFn: (p: { name: string; label: string }) =>
      must(api.PATCH("/workspaces/{workspace}", { params: { path: { workspace: p.name } }, body: { label: p.label } })),
    onSuccess: async () => {
      setRenaming(undefined);
      await again();
    },
  });
  const close = useMutation({
    mutationFn: (p: { name: string; closed: boolean }) =>
      must(api.PATCH("/workspaces/{workspace}", { params: { path: { workspace: p.name } }, body: { closed: p.closed } })),
    onSuccess: () => client.invalidateQueries(),
    onError: (error) => toast(error.message),
  });
  const remove = useMutation({
    mutationFn: (p: { name: string; records: number }) =>
      must(api.DELETE("/workspaces/{workspace}", { params: { path: { workspace: p.name }, query: { records: p.records } } })),
    onSuccess: async (_, p) => {
      setEnding(undefined);
      await again();
      if (p.name === workspace) void go("/w/main");
    },
  });
  return (
    <Panel title="Workspaces">
      <p className="px-3 pt-3 text-[12.5px] text-ink-soft">
        Apart from each other. A copy has the record types, rules, routines and views of another: a place to try a load first.
      </p>
      <table className="w-full min-w-max">
        <tbody>
          {list.data?.workspaces.map((w) => (
            <tr key={w.name} className="border-b border-line last:border-0">
              <td className={tdClass}>{w.label ?? w.name}</td>
              <td className={`figures ${tdClass} text-ink-soft`}>{w.name}</td>
              <td className={`${tdClass} text-ink-soft`}>
                {w.filling ? <Filled of={w.filling} /> : w.closed_at && `closed since ${when(w.closed_at)}`}
              </td>
              <td className={actsClass}>
                <Button look="quiet" aria-label={`Copy ${w.name}`} onClick={() => setCopying(w.name)}>
                  Copy…
                </Button>
                <Button look="quiet" aria-label={`Rename ${w.name}`} onClick={() => setRenaming(w.name)}>
                  Rename…
                </Button>
                {w.name !== "main" && (
                  <Button
                    look="quiet"
                    aria-label={`${w.closed_at ? "Open" : "Close"} ${w.name}`}
                    title={
                      w.closed_at
                        ? "It can be worked in again, and its feeds run."
                        : "It can be looked at, and nothing in it changes, until it is opened again."
                    }
                    disabled={close.isPending}
                    onClick={() => close.mutate({ name: w.name, closed: !w.closed_at })}
                  >
                    {w.closed_at ? "Open" : "Close"}
                  </Button>
                )}
                {w.name !== "main" && (
                  <Button look="quiet" aria-label={`Remove ${w.name}`} onClick={() => setEnding(w.name)}>
                    Remove…
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Wrong error={list.error} className="m-3" />
      {copying && <CopyDialog from={copying} onClose={() => setCopying(undefined)} onDone={again} />}
      {renaming && (
        <Words
          title={`Rename ${renaming}`}
          start={list.data?.workspaces.find((w) => w.name === renaming)?.label ?? renaming}
          error={rename.error}
          onClose={() => setRenaming(undefined)}
          onSave={(label) => rename.mutate({ name: renaming, label })}
        />
      )}
      <Confirm
        open={ending !== undefined}
        title={`Remove ${ending ?? ""}?`}
        yes="Remove it for good"
        look="ask"
        onNo={() => setEnding(undefined)}
        onYes={() => ending && held.data && remove.mutate({ name: ending, records: held.data.records })}
      >
        {held.data
          ? `${count(held.data.records)} records, ${count(held.data.imports)} imports and ${count(held.data.routines)} routines go with it. It cannot be taken back.`
          : "Counting what it holds…"}
        <Wrong error={held.error ?? remove.error} className="mt-3" />
      </Confirm>
    </Panel>
  );
}

/** How far the records of a copy have come along, or why they have not. */
function Filled({ of: f }: { of: Filling }) {
  if (f.trouble)
    return (
      <span className="text-hold">
        {f.trouble.message}. {f.trouble.mend}
      </span>
    );
  return (
    <span role="status" className="figures">
      records come along from {f.from}
      {f.chosen > 0 && `: ${count(f.records)} of ${count(f.chosen)}`}
    </span>
  );
}

function CopyDialog(p: { from: string; onClose: () => void; onDone: () => Promise<void> }) {
  const [name, setName] = useState("practice");
  const [share, setShare] = useState("10");
  const go = useNavigate();
  const add = useMutation({
    mutationFn: () => must(api.POST("/workspaces", { body: { name: name.trim(), from: p.from, share: Number(share) } })),
    onSuccess: async () => {
      await p.onDone();
      p.onClose();
      void go(`/w/${name.trim()}`);
    },
  });
  return (
    <Dialog
      open
      onClose={p.onClose}
      title={`A copy of ${p.from}`}
      foot={
        <Button look="act" disabled={!name.trim() || add.isPending} onClick={() => add.mutate()}>
          {add.isPending ? "Making it…" : "Make the copy"}
        </Button>
      }
    >
      <div className="grid gap-3">
        <Labelled label="Name" hint="Small letters, digits and underscores; it stands in addresses and commands.">
          <input className={inputClass} value={name} maxLength={30} autoFocus onChange={(e) => setName(e.target.value)} />
        </Labelled>
        <Labelled
          label="Records that come along"
          hint="With all that they refer to. They come in the background; nothing changes there before they have. History and imports stay behind."
        >
          <Choose label="Records that come along" value={share} onChange={setShare} options={shares} />
        </Labelled>
        <Wrong error={add.error} />
      </div>
    </Dialog>
  );
}

function Words(p: { title: string; start: string; error: unknown; onClose: () => void; onSave: (label: string) => void }) {
  const [label, setLabel] = useState(p.start);
  return (
    <Dialog
      open
      onClose={p.onClose}
      title={p.title}
      foot={
        <Button look="act" disabled={!label.trim()} onClick={() => p.onSave(label.trim())}>
          Save
        </Button>
      }
    >
      <Labelled label="Words for people" hint="The name in addresses and commands stays.">
        <input className={inputClass} value={label} autoFocus onChange={(e) => setLabel(e.target.value)} />
      </Labelled>
      <Wrong error={p.error} className="mt-3" />
    </Dialog>
  );
}
