import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, must } from "../api/client";
import { who } from "../api/queries";
import { Button, Dialog, inputClass, Labelled, Password, Wrong } from "../ui/parts";

export function SignIn() {
  return (
    <main className="grid h-full place-items-center px-4">
      <title>Sign in · Uchi</title>
      <div className="w-full max-w-sm rounded-lg border border-line bg-sheet p-7 shadow-pop">
        <div className="mb-5 flex items-center gap-3">
          <img src="/mark.svg" alt="" width={34} height={34} />
          <div>
            <h1 className="text-[24px] leading-tight">Uchi</h1>
            <p className="text-ink-soft">Spreadsheets into records, without damage.</p>
          </div>
        </div>
        <SignInForm start="" />
      </div>
    </main>
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
  const enter = useMutation({
    meta: { signsIn: true }, // a wrong password says so, and is no ended session
    mutationFn: () => must(api.POST("/session", { body: { email, password } })),
    onError: () => setPassword(""), // the address stays
    onSuccess: (p) => {
      client.setQueryData(who.queryKey, p);
      void client.invalidateQueries();
      window.dispatchEvent(new Event("uchi:back"));
    },
  });
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
        <Wrong error={enter.error} />
        <Button look="act" type="submit" className="w-full justify-center" disabled={enter.isPending}>
          Sign in
        </Button>
      </div>
    </form>
  );
}
