import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { useNavigate } from "react-router";
import { api, must, type Person } from "../api/client";
import { ways, who, withRoles } from "../api/queries";
import { signInByPasskey, usePasskeys } from "../ui/passkeys";
import { Button, Dialog, inputClass, Labelled, Password, Wrong } from "../ui/parts";

export function SignIn() {
  return (
    <Entrance title="Sign in">
      <ByOrganisation />
      <SignInForm start="" />
    </Entrance>
  );
}

function Entrance({ title, children }: { title: string; children: ReactNode }) {
  return (
    <main className="grid h-full place-items-center px-4">
      <title>{`${title} · Uchi`}</title>
      <div className="w-full max-w-sm rounded-lg border border-line bg-sheet p-7 shadow-pop">
        <div className="mb-5 flex items-center gap-3">
          <img src="/mark.svg" alt="" width={34} height={34} />
          <div>
            <h1 className="text-[24px] leading-tight">Uchi</h1>
            <p className="text-ink-soft">Spreadsheets into records, without damage.</p>
          </div>
        </div>
        {children}
      </div>
    </main>
  );
}

/** Taking up an invitation: a password of one's own, and in. */
export function TakeInvitation() {
  const client = useQueryClient();
  const navigate = useNavigate();
  const [password, setPassword] = useState("");
  const take = useMutation({
    meta: { signsIn: true },
    mutationFn: () => must(api.POST("/session/invitation", { body: { invitation: location.hash.slice(1), password } })),
    onSuccess: (p) => {
      client.setQueryData(who.queryKey, withRoles(p));
      void client.invalidateQueries();
      void navigate("/", { replace: true });
    },
  });
  return (
    <Entrance title="Choose your password">
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          take.mutate();
        }}
      >
        <p className="text-ink-soft">You are invited. With a password of your own you are in.</p>
        <Password
          label="Password"
          hint="At least ten characters. Three or four words do well."
          fresh
          value={password}
          onChange={setPassword}
        />
        <Wrong error={take.error} />
        <Button type="submit" look="act" className="w-full justify-center" disabled={take.isPending || password.length < 10}>
          Choose it and sign in
        </Button>
      </form>
    </Entrance>
  );
}

const failures: Record<string, string> = {
  provider_unknown: "You may not sign in here. Ask an administrator.",
  provider_unreachable: "The sign-in of your organisation does not answer. Try again, or sign in with a password.",
  provider_no_address: "The sign-in of your organisation does not vouch for your address.",
  provider_refused: "The sign-in was not begun here, or took too long. Try again.",
};

/** Signing in by one's organisation, where the service knows one. */
function ByOrganisation() {
  const found = useQuery(ways);
  const failed = new URLSearchParams(location.search).get("sign_in");
  return (
    <>
      {failed && (
        <Wrong
          className="mb-4"
          error={new Error(failures[failed] ?? "The sign-in of your organisation has failed. The service’s log says why.")}
        />
      )}
      {found.data?.start && (
        <>
          <a
            className="flex h-9 items-center justify-center rounded-md border border-act bg-act font-medium text-act-ink hover:brightness-110"
            href={found.data.start}
          >
            Sign in with {found.data.provider}
          </a>
          <p className="my-4 text-center text-[12.5px] text-ink-soft">or with a password</p>
        </>
      )}
    </>
  );
}

/** Laid over the page when the session has ended: what is on it stays. */
export function SignInAgain({ email }: { email: string }) {
  return (
    <Dialog open title="Sign in again" onClose={() => undefined} fixed>
      <p className="mb-3 text-ink-soft">Your session has ended. What you were doing stays as it is.</p>
      <SignInForm start={email} />
    </Dialog>
  );
}

function SignInForm({ start }: { start: string }) {
  const client = useQueryClient();
  const [email, setEmail] = useState(start);
  const [password, setPassword] = useState("");
  const passkeys = usePasskeys();
  const come = {
    meta: { signsIn: true }, // a wrong password says so, and is no ended session
    onSuccess: (p: Person) => {
      client.setQueryData(who.queryKey, withRoles(p));
      void client.invalidateQueries();
      window.dispatchEvent(new Event("uchi:back"));
    },
  };
  const enter = useMutation({
    ...come,
    mutationFn: () => must(api.POST("/session", { body: { email, password } })),
    onError: () => setPassword(""), // the address stays
  });
  const byPasskey = useMutation({ ...come, mutationFn: signInByPasskey });
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        enter.mutate();
      }}
    >
      <div className="space-y-3">
        <Labelled label="E-mail address">
          <input
            className={inputClass}
            type="email"
            name="email"
            autoComplete="username"
            required
            autoFocus={!start}
            value={email}
            onChange={(e) => setEmail(e.target.value)}
          />
        </Labelled>
        <Password label="Password" name="password" required autoFocus={start !== ""} value={password} onChange={setPassword} />
        <Wrong error={enter.error ?? byPasskey.error} />
        <Button look="act" type="submit" className="w-full justify-center" disabled={enter.isPending}>
          Sign in
        </Button>
        {passkeys.here && (
          <Button
            className="w-full justify-center"
            disabled={byPasskey.isPending}
            onClick={() => {
              enter.reset();
              byPasskey.mutate();
            }}
          >
            Sign in with a passkey
          </Button>
        )}
      </div>
    </form>
  );
}
