import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState, type RefObject } from "react";
import { Link, useNavigate } from "react-router";
import { api, must, type Import } from "../api/client";
import { filled, who, workspaces } from "../api/queries";
import { when } from "../pages/start";
import { Button, Choose, Dialog, inputClass, Labelled, Wrong } from "../ui/parts";
import { toast } from "../ui/toast";
import { shares } from "../ui/workspaces";
import { count, Tally } from "../ui/verdict";

/** That the same file came before, when, and what came of it. */
export function SameFile({ workspace, i }: { workspace: string; i: Import }) {
  const [before] = i.same_file ?? [];
  if (!before || i.written) return null;
  return (
    <div
      role="status"
      className="flex flex-wrap items-baseline gap-x-3 border-t border-ask bg-ask-soft px-5 py-1.5 text-[12.5px]"
    >
      <b className="font-medium">This file came before:</b>
      <span>
        <Link className="text-act underline" to={`/w/${workspace}/imports/${before.id}/result`}>
          import {before.id}
        </Link>{" "}
        of {before.made_by}, {when(before.made_at)}, {before.state}
      </span>
      <Tally outcomes={before.outcomes} />
    </div>
  );
}

/** That another table begins below the one that is read, which is no part of the import. */
export function TableBelow({ workspace, i }: { workspace: string; i: Import }) {
  const go = useNavigate();
  const client = useQueryClient();
  const take = useMutation({
    mutationFn: () =>
      must(api.POST("/workspaces/{workspace}/imports/{import}/below", { params: { path: { workspace, import: i.id } } })),
    onSuccess: async (made) => {
      await client.invalidateQueries({ queryKey: ["import", workspace, i.id] });
      toast(`Import ${made.id} reads the table below.`);
      void go(`/w/${workspace}/imports/${made.id}/source`);
    },
  });
  const me = useQuery(who);
  const n = i.notices?.find((x) => x.code === "another_table");
  if (!n || i.below) return null;
  return (
    <div
      role="status"
      className="flex flex-wrap items-center gap-x-3 gap-y-1 border-t border-ask bg-ask-soft px-5 py-1.5 text-[12.5px]"
    >
      <span>
        <b className="font-medium">Another table begins in row {n.row ?? 0}</b>
        {n.title && `, “${n.title}”`}: its {count(n.count ?? 0)} {n.count === 1 ? "row is" : "rows are"} no part of this import.
      </span>
      {(me.data?.role ?? "viewer") !== "viewer" && (
        <Button disabled={take.isPending} onClick={() => take.mutate()}>
          Import it too
        </Button>
      )}
      <Wrong error={take.error} />
    </div>
  );
}

/** Makes an import that of a colleague. */
export function HandOver({ workspace, i, onClose }: { workspace: string; i: Import; onClose: () => void }) {
  const client = useQueryClient();
  const [email, setEmail] = useState("");
  const hand = useMutation({
    mutationFn: () =>
      must(
        api.POST("/workspaces/{workspace}/imports/{import}/hand-over", {
          params: { path: { workspace, import: i.id } },
          body: { email },
        }),
      ),
    onSuccess: async (now) => {
      await client.invalidateQueries({ queryKey: ["import", workspace, i.id] });
      toast(`The import is now that of ${now.made_by}.`);
      onClose();
    },
  });
  return (
    <Dialog
      open
      onClose={onClose}
      unsaved={email !== ""}
      title={`Hand ${i.name} over`}
      foot={
        <Button look="act" disabled={!email.trim() || hand.isPending} onClick={() => hand.mutate()}>
          Hand it over
        </Button>
      }
    >
      <Labelled label="To whom" hint={`It is that of ${i.made_by} now. What was answered, mended and loaded stays named.`}>
        <input
          autoFocus
          type="email"
          className={inputClass}
          placeholder="name@company.example"
          value={email}
          onChange={(e) => setEmail(e.target.value)}
        />
      </Labelled>
      <Wrong error={hand.error} className="mt-2" />
    </Dialog>
  );
}

/** Says of a rehearsal what it rehearses, and takes its set-up over there. */
export function Rehearsal({ workspace, i }: { workspace: string; i: Import }) {
  const go = useNavigate();
  const back = useMutation({
    mutationFn: () =>
      must(api.POST("/workspaces/{workspace}/imports/{import}/rehearsed", { params: { path: { workspace, import: i.id } } })),
    onSuccess: (there) => {
      toast(`Import ${there.id} is set up as this one is.`);
      void go(`/w/${i.rehearses?.workspace ?? ""}/imports/${there.id}/columns`);
    },
  });
  if (!i.rehearses) return null;
  const { workspace: of, import: id } = i.rehearses;
  return (
    <div
      role="status"
      className="flex flex-wrap items-center gap-x-3 gap-y-1 border-t border-act bg-act-soft px-5 py-1.5 text-[12.5px]"
    >
      <span>
        <b className="font-medium">A rehearsal</b> of{" "}
        <Link className="text-act underline" to={`/w/${of}/imports/${id}/source`}>
          import {id} of {of}
        </Link>
        : nothing that is done here touches a record there.
      </span>
      <Button disabled={back.isPending} title="Answers and changed cells stay behind." onClick={() => back.mutate()}>
        Take this set-up over
      </Button>
      <Wrong error={back.error} />
    </div>
  );
}

/** Offers to try an import first where it does no harm. */
export function RehearseFirst({ workspace, i }: { workspace: string; i: Import }) {
  const me = useQuery(who);
  const [asking, setAsking] = useState(false);
  if ((me.data?.role ?? "viewer") === "viewer") return null;
  return (
    <p className="mt-2 text-[12.5px] text-ink-soft">
      Or{" "}
      <button type="button" className="text-act underline" onClick={() => setAsking(true)}>
        rehearse it in another workspace first
      </button>
      .
      {asking && (
        <Rehearse workspace={workspace} i={i} admin={me.data?.role === "administrator"} onClose={() => setAsking(false)} />
      )}
    </p>
  );
}

const afresh = "a new copy";

/** Makes an import of the same source in another workspace, or in a copy that is made for it. */
export function Rehearse({
  workspace,
  i,
  admin,
  onClose,
}: {
  workspace: string;
  i: Import;
  admin: boolean;
  onClose: () => void;
}) {
  const go = useNavigate();
  const client = useQueryClient();
  const list = useQuery(workspaces);
  const others = (list.data?.workspaces ?? []).filter((w) => w.name !== workspace);
  const [chosen, setChosen] = useState<string>();
  const [name, setName] = useState("practice");
  const [share, setShare] = useState("10");
  const to = chosen ?? others[0]?.name ?? afresh;
  const start = useMutation({
    mutationFn: async () => {
      const into = to === afresh ? name.trim() : to;
      if (to === afresh) {
        await must(api.POST("/workspaces", { body: { name: into, from: workspace, share: Number(share) } }));
        await client.invalidateQueries({ queryKey: ["workspaces"] });
        setChosen(into);
        await filled(into);
      }
      const made = await must(
        api.POST("/workspaces/{workspace}/imports/{import}/rehearsals", {
          params: { path: { workspace, import: i.id } },
          body: { workspace: into },
        }),
      );
      return { into, id: made.id };
    },
    onSuccess: ({ into, id }) => void go(`/w/${into}/imports/${id}/check`),
  });
  return (
    <Dialog
      open
      onClose={onClose}
      title={`Rehearse ${i.name}`}
      foot={
        <Button
          look="act"
          disabled={!list.data || start.isPending || (to === afresh && (!admin || !name.trim()))}
          onClick={() => start.mutate()}
        >
          {start.isPending ? "Making it ready…" : "Rehearse it there"}
        </Button>
      }
    >
      <div className="grid gap-3">
        <p>The same source, set up the same way, in another workspace: what is done there touches no record here.</p>
        <Labelled label="Where">
          <Choose
            label="Where"
            value={to}
            onChange={setChosen}
            options={[
              ...others.map((w) => ({ value: w.name, label: w.label === w.name ? w.name : `${w.label} (${w.name})` })),
              ...(admin || others.length === 0 ? [{ value: afresh, label: `a new copy of ${workspace}` }] : []),
            ]}
          />
        </Labelled>
        {to === afresh && !admin && (
          <p className="text-ink-soft">There is no other workspace. Making one takes the role administrator.</p>
        )}
        {to === afresh && admin && (
          <>
            <Labelled label="Its name" hint="Small letters, digits and underscores.">
              <input className={inputClass} value={name} maxLength={30} onChange={(e) => setName(e.target.value)} />
            </Labelled>
            <Labelled label="Records that come along" hint="With all that they refer to.">
              <Choose label="Records that come along" value={share} onChange={setShare} options={shares} />
            </Labelled>
          </>
        )}
        <Wrong error={list.error ?? start.error} />
      </div>
    </Dialog>
  );
}

/** Takes a new file and sets its import up as this one is. */
export function useLike(
  workspace: string,
  id: number,
): { choose: () => void; input: RefObject<HTMLInputElement | null>; take: (f: File | undefined) => void } {
  const go = useNavigate();
  const input = useRef<HTMLInputElement>(null);
  const send = useMutation({
    mutationFn: (f: File) =>
      must(
        api.POST("/workspaces/{workspace}/imports", {
          params: { path: { workspace }, query: { name: f.name, like: id } },
          body: f as unknown as string,
          bodySerializer: (b) => b as unknown as Blob,
          headers: { "Content-Type": "application/octet-stream" },
        }),
      ),
    onSuccess: (made) => void go(`/w/${workspace}/imports/${made.id}/columns`),
    onError: (error) => toast(`The file was not taken: ${error.message}`),
  });
  return { choose: () => input.current?.click(), input, take: (f) => f && send.mutate(f) };
}
