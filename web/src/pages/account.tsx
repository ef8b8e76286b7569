import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";
import { api, must, type Token } from "../api/client";
import { who, workspaces } from "../api/queries";
import {
  Button,
  Choose,
  Confirm,
  Dialog,
  inputClass,
  Labelled,
  Panel,
  Password,
  Table,
  actsClass,
  tdClass,
  Wrong,
} from "../ui/parts";
import { ApprovalSettings } from "../ui/approval";
import { Hooks } from "../ui/hooks";
import { Notices } from "../ui/notices";
import { Passkeys } from "../ui/passkeys";
import { People } from "../ui/people";
import { Workspaces } from "../ui/workspaces";
import { when } from "./start";

export function AccountPage() {
  const me = useQuery(who);
  const { workspace = "main" } = useParams();
  return (
    <div className="mx-auto max-w-[1000px] space-y-5 px-7 py-6 max-[900px]:px-3">
      <title>People, tokens and workspaces · Uchi</title>
      <h1 className="text-[26px]">People, tokens and workspaces</h1>
      <Notices />
      <Tokens />
      <Sessions />
      <OwnPassword />
      <Passkeys />
      {me.data?.everywhere === "administrator" && <People />}
      {me.data?.everywhere === "administrator" && <Workspaces />}
      {me.data?.role === "administrator" && <ApprovalSettings workspace={workspace} />}
      {me.data?.role === "administrator" && <Hooks workspace={workspace} />}
      {me.data?.everywhere === "administrator" && <Keeping />}
    </div>
  );
}

/** Stands for all workspaces; no workspace is called so. */
const everywhere = "*";

function Tokens() {
  const client = useQueryClient();
  const list = useQuery({ queryKey: ["tokens"], queryFn: () => must(api.GET("/tokens")) });
  const [label, setLabel] = useState("");
  const [only, setOnly] = useState(everywhere);
  const spaces = useQuery(workspaces);
  const [secret, setSecret] = useState("");
  const [copied, setCopied] = useState(false);
  const [ending, setEnding] = useState<Token>();
  const again = () => client.invalidateQueries({ queryKey: ["tokens"] });
  const add = useMutation({
    mutationFn: () => must(api.POST("/tokens", { body: { label, days: 90, ...(only !== everywhere && { workspace: only }) } })),
    onSuccess: (t) => {
      setSecret(t.secret ?? "");
      setCopied(false);
      setLabel("");
      void again();
    },
  });
  const end = useMutation({
    mutationFn: (token: number) => must(api.DELETE("/tokens/{token}", { params: { path: { token } } })),
    onSuccess: again,
  });
  return (
    <Panel title="My tokens, for the command line and scripts">
      <Table head={["Label", "Role", "For", "Ends", "Last used", ""]} wide>
        {list.data?.tokens.map((t) => (
          <tr key={t.id} className="border-b border-line">
            <td className={tdClass}>{t.label}</td>
            <td className={tdClass}>{t.role}</td>
            <td className={tdClass}>{t.workspace ?? "all workspaces"}</td>
            <td className={tdClass}>{t.ends_at.slice(0, 10)}</td>
            <td className={tdClass}>{t.used_at ? when(t.used_at) : "never"}</td>
            <td className={actsClass}>
              <Button look="quiet" aria-label={`End it: the token ${t.label}`} onClick={() => setEnding(t)}>
                End it
              </Button>
            </td>
          </tr>
        ))}
      </Table>
      <form
        className="flex gap-2 p-3"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate();
        }}
      >
        <input
          aria-label="Label of the new token"
          className={inputClass}
          placeholder="What is it for?"
          value={label}
          onChange={(e) => setLabel(e.target.value)}
        />
        <div className="w-56 shrink-0">
          <Choose
            label="Workspaces that it is for"
            value={only}
            onChange={setOnly}
            options={[
              { value: everywhere, label: "for all workspaces" },
              ...(spaces.data?.workspaces ?? []).map((w) => ({ value: w.name, label: `for ${w.label} alone` })),
            ]}
          />
        </div>
        <Button type="submit" look="act" disabled={!label.trim()}>
          Make a token for 90 days
        </Button>
      </form>
      <Wrong error={list.error ?? add.error ?? end.error} className="m-3" />
      <Dialog
        open={secret !== ""}
        onClose={() => setSecret("")}
        title="The token, shown this once"
        foot={
          <Button look="act" onClick={() => void navigator.clipboard.writeText(secret).then(() => setCopied(true))}>
            {copied ? "Copied" : "Copy it"}
          </Button>
        }
      >
        <code className="block rounded-md bg-paper p-3 font-mono text-[12.5px] break-all">{secret}</code>
      </Dialog>
      <Confirm
        open={ending !== undefined}
        title={`End the token ${ending?.label}?`}
        yes="End it"
        look="ask"
        onYes={() => {
          if (ending) end.mutate(ending.id);
          setEnding(undefined);
        }}
        onNo={() => setEnding(undefined)}
      >
        Scripts that sign in with it are refused from now on. It cannot be brought back; a new one can be made.
      </Confirm>
    </Panel>
  );
}

/** Where I am signed in. */
function Sessions() {
  const client = useQueryClient();
  const list = useQuery({ queryKey: ["sessions"], queryFn: () => must(api.GET("/sessions")) });
  const end = useMutation({
    mutationFn: (session: number) => must(api.DELETE("/sessions/{session}", { params: { path: { session } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["sessions"] }),
  });
  return (
    <Panel title="Where I am signed in">
      <Table head={["Since", "Last seen", "From", "With", ""]} wide>
        {list.data?.sessions.map((s) => (
          <tr key={s.id} className="border-b border-line last:border-0">
            <td className={tdClass}>{when(s.made_at)}</td>
            <td className={tdClass}>{when(s.seen_at)}</td>
            <td className={tdClass}>{s.address}</td>
            <td className={`${tdClass} max-w-[360px] truncate`} title={s.agent}>
              {s.agent}
            </td>
            <td className={actsClass}>
              {s.own ? (
                <span className="inline-block py-1.5 text-ink-soft">this one</span>
              ) : (
                <Button look="quiet" aria-label={`End it: the session ${s.id}`} onClick={() => end.mutate(s.id)}>
                  End it
                </Button>
              )}
            </td>
          </tr>
        ))}
      </Table>
      <Wrong error={list.error ?? end.error} className="m-3" />
    </Panel>
  );
}

/** For how long sources and results are kept. */
function Keeping() {
  const client = useQueryClient();
  const settings = useQuery({ queryKey: ["settings"], queryFn: () => must(api.GET("/settings")) });
  const [days, setDays] = useState<string>();
  const shown = days ?? String(settings.data?.keep_days ?? "");
  const save = useMutation({
    mutationFn: () => must(api.PUT("/settings", { body: { keep_days: Number(shown) } })),
    onSuccess: (now) => {
      client.setQueryData(["settings"], now);
      setDays(undefined);
    },
  });
  return (
    <Panel title="Cleaning up">
      <form
        className="flex items-end gap-2 p-3"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        <Labelled
          label="Keep the sources and results of an import, in days after its last change"
          hint="Records, history and log stay for ever."
        >
          <input
            className={inputClass}
            inputMode="numeric"
            value={shown}
            onChange={(e) => setDays(e.target.value.replace(/\D/g, ""))}
          />
        </Labelled>
        <Button
          type="submit"
          look="act"
          className="mb-[22px]"
          disabled={save.isPending || !shown || shown === String(settings.data?.keep_days)}
        >
          Keep them so long
        </Button>
      </form>
      <Wrong error={settings.error ?? save.error} className="m-3" />
    </Panel>
  );
}

function OwnPassword() {
  const [old, setOld] = useState("");
  const [next, setNext] = useState("");
  const save = useMutation({
    mutationFn: () => must(api.PATCH("/session", { body: { old, new: next } })),
    onSuccess: () => {
      setOld("");
      setNext("");
    },
  });
  return (
    <Panel title="My password">
      <form
        className="flex flex-wrap items-end gap-2 p-3"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate();
        }}
      >
        <div className="w-64">
          <Password label="The old one" value={old} onChange={setOld} />
        </div>
        <div className="w-64">
          <Password label="The new one" fresh value={next} onChange={setNext} />
        </div>
        <Button type="submit" look="act" disabled={!old || !next || save.isPending}>
          Change it
        </Button>
        <span role="status" className="text-ink-soft">
          {save.isSuccess && "Changed. Your other sessions have ended."}
        </span>
      </form>
      <Wrong error={save.error} className="m-3" />
    </Panel>
  );
}
