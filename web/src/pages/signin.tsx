import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, must } from "../api/client";
import { who } from "../api/queries";
import { Button, inputClass, Labelled, Wrong } from "../ui/parts";

export function SignIn() {
  const client = useQueryClient();
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const enter = useMutation({
    mutationFn: () => must(api.POST("/session", { body: { email, password } })),
    onSuccess: (p) => client.setQueryData(who.queryKey, p),
  });
  return (
    <main className="grid h-full place-items-center px-4">
      <form
        className="w-full max-w-sm rounded-lg border border-line bg-sheet p-7 shadow-pop"
        onSubmit={(e) => {
          e.preventDefault();
          enter.mutate();
        }}
      >
        <div className="mb-5 flex items-center gap-3">
          <img src="/mark.svg" alt="" width={34} height={34} />
          <div>
            <h1 className="text-[24px] leading-tight">Uchi</h1>
            <p className="text-ink-soft">Spreadsheets into records, without damage.</p>
          </div>
        </div>
        <div className="space-y-3">
          <Labelled label="E-mail address">
            <input
              className={inputClass}
              type="email"
              name="email"
              autoComplete="username"
              required
              autoFocus
              value={email}
              onChange={(e) => setEmail(e.target.value)}
            />
          </Labelled>
          <Labelled label="Password">
            <input
              className={inputClass}
              type="password"
              name="password"
              autoComplete="current-password"
              required
              value={password}
              onChange={(e) => setPassword(e.target.value)}
            />
          </Labelled>
          <Wrong error={enter.error} />
          <Button look="act" type="submit" className="w-full justify-center" disabled={enter.isPending}>
            Sign in
          </Button>
        </div>
      </form>
    </main>
  );
}
