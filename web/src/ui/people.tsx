import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, must, type Invitation, type Person } from "../api/client";
import { people, workspaces } from "../api/queries";
import { when } from "../pages/start";
import { Button, Choose, Confirm, cx, Dialog, inputClass, Labelled, Panel, Password, Ticked, Wrong } from "./parts";

const roles: Person["role"][] = ["viewer", "operator", "administrator"];
const roleOptions = roles.map((r) => ({ value: r, label: r }));

/** Who may sign in, with what they may do; they choose their password by a link. */
export function People() {
  const client = useQueryClient();
  const list = useQuery(people);
  const [open, setOpen] = useState(false);
  const [changing, setChanging] = useState<Person>();
  const [p, setP] = useState<{ email: string; name: string; role: Person["role"]; password: string }>({
    email: "",
    name: "",
    role: "operator",
    password: "",
  });
  const [invited, setInvited] = useState<{ email: string; invitation: Invitation }>();
  const add = useMutation({
    mutationFn: () => {
      const { password, ...rest } = p;
      return must(api.POST("/people", { body: password ? p : rest }));
    },
    onSuccess: (x) => {
      setOpen(false);
      if (x.invitation) setInvited({ email: x.email, invitation: x.invitation });
      setP({ email: "", name: "", role: "operator", password: "" });
      void client.invalidateQueries({ queryKey: ["people"] });
    },
  });
  return (
    <Panel title="People" aside={<Button onClick={() => setOpen(true)}>Add somebody</Button>}>
      <ul>
        {list.data?.people.map((x) => (
          <li key={x.id} className="flex flex-wrap items-center gap-x-4 border-t border-line px-4 py-1.5 first:border-0">
            <span className={cx("w-48 font-medium", x.suspended && "text-ink-faint line-through")}>{x.name}</span>
            <span className="text-ink-soft">{x.email}</span>
            <span className="ml-auto">{x.suspended ? `suspended ${x.role}` : x.role}</span>
            <Button look="quiet" aria-label={`Change ${x.name}`} onClick={() => setChanging(x)}>
              Change
            </Button>
          </li>
        ))}
      </ul>
      <Wrong error={list.error} className="m-3" />
      {changing && (
        <ChangePerson
          person={changing}
          onClose={() => setChanging(undefined)}
          onInvited={(invitation) => {
            setChanging(undefined);
            setInvited({ email: changing.email, invitation });
          }}
        />
      )}
      {invited && <Invited {...invited} onClose={() => setInvited(undefined)} />}
      <Dialog
        open={open}
        unsaved={Boolean(p.email || p.name || p.password)}
        onClose={() => setOpen(false)}
        title="Let somebody sign in"
        foot={
          <Button look="act" onClick={() => add.mutate()} disabled={add.isPending}>
            Add
          </Button>
        }
      >
        <div className="space-y-3">
          <Labelled label="Name">
            <input className={inputClass} value={p.name} onChange={(e) => setP({ ...p, name: e.target.value })} />
          </Labelled>
          <Labelled label="E-mail address">
            <input className={inputClass} type="email" value={p.email} onChange={(e) => setP({ ...p, email: e.target.value })} />
          </Labelled>
          <Labelled label="Role" hint="Viewers look and export, operators import and load, administrators do everything.">
            <Choose label="Role" value={p.role} options={roleOptions} onChange={(v) => setP({ ...p, role: v })} />
          </Labelled>
          <Password
            label="First password"
            hint="Left empty, they choose one themselves by a link."
            fresh
            value={p.password}
            onChange={(password) => setP({ ...p, password })}
          />
          <Wrong error={add.error} />
        </div>
      </Dialog>
    </Panel>
  );
}

const usually = "the role above";

/** Another role or name, a new password, or no more signing in. */
function ChangePerson({
  person,
  onClose,
  onInvited,
}: {
  person: Person;
  onClose: () => void;
  onInvited: (i: Invitation) => void;
}) {
  const client = useQueryClient();
  const [name, setName] = useState(person.name);
  const [role, setRole] = useState(person.role);
  const [suspended, setSuspended] = useState(person.suspended ?? false);
  const [password, setPassword] = useState("");
  const [here, setHere] = useState<Record<string, string>>({});
  const spaces = useQuery(workspaces);
  const save = useMutation({
    mutationFn: () =>
      must(
        api.PATCH("/people/{person}", {
          params: { path: { person: person.id } },
          body: {
            name,
            role,
            suspended,
            ...(password ? { password } : {}),
            roles: Object.fromEntries(Object.entries(here).map(([k, v]) => [k, v === usually ? "" : v])),
          },
        }),
      ),
    onSuccess: () => {
      onClose();
      void client.invalidateQueries({ queryKey: ["people"] });
    },
  });
  const [removing, setRemoving] = useState(false);
  const path = { params: { path: { person: person.id } } };
  const invite = useMutation({ mutationFn: () => must(api.POST("/people/{person}/invitation", path)), onSuccess: onInvited });
  const remove = useMutation({
    mutationFn: () => must(api.DELETE("/people/{person}", path)),
    onSuccess: () => {
      onClose();
      void client.invalidateQueries({ queryKey: ["people"] });
    },
  });
  if (removing)
    return (
      <Confirm
        open
        title={`Remove ${person.name}?`}
        yes="Remove them"
        look="ask"
        onYes={() => remove.mutate()}
        onNo={() => setRemoving(false)}
      >
        <p>
          They can no longer sign in, and their tokens end. What they did stays under their name; their address is free again. It
          cannot be taken back.
        </p>
        <Wrong error={remove.error} />
      </Confirm>
    );
  return (
    <Dialog
      open
      onClose={onClose}
      unsaved={
        Object.keys(here).length > 0 ||
        name !== person.name ||
        role !== person.role ||
        suspended !== (person.suspended ?? false) ||
        password !== ""
      }
      title={person.email}
      foot={
        <Button look="act" disabled={save.isPending} onClick={() => save.mutate()}>
          Save the changes
        </Button>
      }
    >
      <div className="space-y-3">
        <Labelled label="Name">
          <input className={inputClass} value={name} onChange={(e) => setName(e.target.value)} />
        </Labelled>
        <Labelled label="Role">
          <Choose label="Role" value={role} options={roleOptions} onChange={setRole} />
        </Labelled>
        {spaces.data?.workspaces.map((s) => (
          <div key={s.name} className="grid grid-cols-[1fr_220px] items-center gap-3">
            <span className="text-ink-soft">in {s.label}</span>
            <Choose
              label={`Role in ${s.label}`}
              value={here[s.name] ?? person.roles?.[s.name] ?? usually}
              options={[usually, "none", ...roles].map((r) => ({ value: r, label: r === "none" ? "may not look at it" : r }))}
              onChange={(v) => setHere({ ...here, [s.name]: v })}
            />
          </div>
        ))}
        <Password
          label="New password"
          hint="Left empty, the old one stays. With a new one the person is signed out."
          fresh
          value={password}
          onChange={setPassword}
        />
        <Ticked
          label="Suspended: may not sign in, and tokens are refused. What they did stays named."
          on={suspended}
          onChange={setSuspended}
        />
        <div className="flex flex-wrap gap-2 border-t border-line pt-3">
          <Button onClick={() => invite.mutate()} disabled={invite.isPending}>
            Make a link to choose a password
          </Button>
          <Button look="quiet" onClick={() => setRemoving(true)}>
            Remove…
          </Button>
        </div>
        <Wrong error={save.error ?? invite.error} />
      </div>
    </Dialog>
  );
}

/** The link of an invitation, which is shown once. */
function Invited({ email, invitation, onClose }: { email: string; invitation: Invitation; onClose: () => void }) {
  const [copied, setCopied] = useState(false);
  return (
    <Dialog
      open
      onClose={onClose}
      title={invitation.mailed ? `The link was mailed to ${email}` : `Hand this link to ${email}`}
      foot={
        <Button look="act" onClick={() => void navigator.clipboard.writeText(invitation.link).then(() => setCopied(true))}>
          {copied ? "Copied" : "Copy the link"}
        </Button>
      }
    >
      <p className="mb-3 text-ink-soft">
        By it they choose a password and are signed in. It can be used once, until {when(invitation.ends_at)}, and is not shown
        again.
      </p>
      <code className="block rounded-md bg-paper p-3 font-mono text-[12.5px] break-all">{invitation.link}</code>
    </Dialog>
  );
}
