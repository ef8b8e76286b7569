import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, must, type ApprovalRules, type Import } from "../api/client";
import { types, who } from "../api/queries";
import { when } from "../pages/start";
import { Button, inputClass, Labelled, Panel, Ticked, Wrong } from "./parts";

/** A second person's yes to a load: asked for, given or refused. */
export function ApprovalBox({ workspace, i }: { workspace: string; i: Import }) {
  const client = useQueryClient();
  const me = useQuery(who);
  const [text, setText] = useState("");
  const path = { workspace, import: i.id };
  const put = (now: Import) => {
    setText("");
    client.setQueryData(["import", workspace, i.id], now);
  };
  const ask = useMutation({
    mutationFn: () =>
      must(api.POST("/workspaces/{workspace}/imports/{import}/approval", { params: { path }, body: text ? { note: text } : {} })),
    onSuccess: put,
  });
  const decide = useMutation({
    mutationFn: (yes: boolean) =>
      must(
        api.POST("/workspaces/{workspace}/imports/{import}/approval/decision", {
          params: { path },
          body: { yes, ...(text ? { reason: text } : {}) },
        }),
      ),
    onSuccess: put,
  });
  const a = i.approval;
  if (!a || i.state !== "ready") return null;
  const mayDecide = me.data && me.data.role !== "viewer" && (!a.administrator || me.data.role === "administrator");
  const open = a.asked_by && !a.decided_by;
  return (
    <section aria-label="A second person’s yes" className="space-y-2 border-b border-line px-4 py-3">
      <h3 className="text-[14px] font-semibold">A second person’s yes</h3>
      {a.why && (
        <p className="text-[12.5px] text-ink-soft">
          It is needed: {a.why}.{a.administrator && " An administrator says it."}
        </p>
      )}
      {a.asked_by && (
        <p>
          {a.mine ? "You have" : `${a.asked_by} has`} asked for it{a.asked_at && `, ${when(a.asked_at)}`}.
          {a.note && <span className="block text-ink-soft">“{a.note}”</span>}
        </p>
      )}
      {a.decided_by && (
        <p className={a.yes ? "text-create" : "text-hold"}>
          <b>{a.decided_by}</b> has said {a.yes ? "yes" : "no"}
          {a.decided_at && `, ${when(a.decided_at)}`}.{a.reason && <span className="block">“{a.reason}”</span>}
        </p>
      )}
      {open && a.mine && <p className="text-[12.5px] text-ink-soft">Somebody else decides; they are told.</p>}
      {open && !a.mine && mayDecide && (
        <div className="space-y-2">
          <p className="text-[12.5px] text-ink-soft">
            Look at the check and at the values that would be overwritten. Any change after your yes takes it back.
          </p>
          <input
            aria-label="A reason"
            placeholder="A reason; a no needs one"
            className={inputClass}
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <div className="flex gap-2">
            <Button look="act" disabled={decide.isPending} onClick={() => decide.mutate(true)}>
              Yes, it may be loaded
            </Button>
            <Button look="ask" disabled={decide.isPending || !text.trim()} onClick={() => decide.mutate(false)}>
              No
            </Button>
          </div>
        </div>
      )}
      {(!a.asked_by || (a.decided_by && !a.yes)) && (
        <form
          className="flex gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            ask.mutate();
          }}
        >
          <input
            aria-label="What whoever decides should know"
            placeholder="What whoever decides should know"
            className={inputClass}
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          <Button type="submit" disabled={ask.isPending}>
            Ask for a yes
          </Button>
        </form>
      )}
      <Wrong error={ask.error ?? decide.error} />
    </section>
  );
}

/** Which loads of a workspace need a second person's yes. */
export function ApprovalSettings({ workspace }: { workspace: string }) {
  const rules = useQuery({
    queryKey: ["approval", workspace],
    queryFn: () => must(api.GET("/workspaces/{workspace}/approval", { params: { path: { workspace } } })),
  });
  return (
    <Panel title="Loads that need a second person’s yes">
      {rules.data && <RulesForm key={JSON.stringify(rules.data)} workspace={workspace} now={rules.data} />}
      <Wrong error={rules.error} className="m-3" />
    </Panel>
  );
}

function RulesForm({ workspace, now }: { workspace: string; now: ApprovalRules }) {
  const client = useQueryClient();
  const kinds = useQuery(types(workspace));
  const [r, setR] = useState(now);
  const save = useMutation({
    mutationFn: () => must(api.PUT("/workspaces/{workspace}/approval", { params: { path: { workspace } }, body: r })),
    onSuccess: (saved) => client.setQueryData(["approval", workspace], saved),
  });
  const number = (label: string, hint: string, key: "above" | "operators_above" | "operators_share") => (
    <Labelled label={label} hint={hint}>
      <input
        className={inputClass}
        inputMode="numeric"
        value={r[key] ? String(r[key]) : ""}
        onChange={(e) => {
          const n = Number(e.target.value.replace(/\D/g, "")) || 0;
          setR({ ...r, [key]: key === "operators_share" ? Math.min(n, 100) : n });
        }}
      />
    </Labelled>
  );
  return (
    <form
      className="space-y-3 px-4 py-3"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <Ticked label={`Every load into ${workspace}`} on={r.always ?? false} onChange={(always) => setR({ ...r, always })} />
      <fieldset>
        <legend className="mb-1 text-[12px] font-medium text-ink-soft">Loads into</legend>
        <div className="flex flex-wrap gap-x-5 gap-y-1.5">
          {kinds.data?.types.map((t) => (
            <Ticked
              key={t.name}
              label={t.plural}
              on={r.types?.includes(t.name) ?? false}
              onChange={(on) =>
                setR({ ...r, types: on ? [...(r.types ?? []), t.name] : (r.types ?? []).filter((x) => x !== t.name) })
              }
            />
          ))}
        </div>
      </fieldset>
      <div className="grid grid-cols-2 gap-4 max-[700px]:grid-cols-1">
        {number("Loads that make, change or delete more records than", "Blank for no limit.", "above")}
        {number("Operators alone, at most records", "Above it an administrator says yes. Blank for no limit.", "operators_above")}
        {number(
          "Operators alone, at most percent of a record type",
          "Of its records, changed or deleted. Blank for no limit.",
          "operators_share",
        )}
      </div>
      <Wrong error={save.error} />
      <Button type="submit" look="act" disabled={save.isPending || JSON.stringify(r) === JSON.stringify(now)}>
        Keep it so
      </Button>
    </form>
  );
}
