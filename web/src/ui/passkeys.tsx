import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, must, type Passkey, type Person } from "../api/client";
import { ways } from "../api/queries";
import { when } from "../pages/start";
import { Button, Confirm, inputClass, Labelled, Panel, Password, Table, actsClass, tdClass, Wrong } from "./parts";

/** Whether passkeys work where the console is open, and where else they do. */
export function usePasskeys(): { here: boolean; at?: string } {
  const at = useQuery(ways).data?.passkeys;
  const able = "PublicKeyCredential" in window && "parseRequestOptionsFromJSON" in PublicKeyCredential;
  return { here: able && at === location.origin, at };
}

const refused = "The device has given no passkey. Try again.";

/** Has the browser ask a device; who turns away, or takes too long, is told so. */
async function answerOf(asked: Promise<Credential | null>): Promise<Record<string, unknown>> {
  let answer;
  try {
    answer = await asked;
  } catch (e) {
    if (e instanceof DOMException && e.name === "InvalidStateError")
      throw new Error("This device has a passkey of yours already.", { cause: e });
    throw new Error(refused, { cause: e });
  }
  if (!(answer instanceof PublicKeyCredential)) throw new Error(refused);
  return answer.toJSON() as Record<string, unknown>;
}

/** Signs in with a passkey that a device keeps. */
export async function signInByPasskey(): Promise<Person> {
  const { ask, options } = await must(api.POST("/session/passkey/ask"));
  const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(options as unknown as PublicKeyCredentialRequestOptionsJSON);
  const answer = await answerOf(navigator.credentials.get({ publicKey }));
  return must(api.POST("/session/passkey", { body: { ask, answer } }));
}

async function makePasskey(password: string, label: string): Promise<Passkey> {
  const { ask, options } = await must(api.POST("/passkeys/ask", { body: { password } }));
  const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(
    options as unknown as PublicKeyCredentialCreationOptionsJSON,
  );
  const answer = await answerOf(navigator.credentials.create({ publicKey }));
  return must(api.POST("/passkeys", { body: { ask, answer, label } }));
}

/** The passkeys of who is signed in. */
export function Passkeys() {
  const client = useQueryClient();
  const list = useQuery({ queryKey: ["passkeys"], queryFn: () => must(api.GET("/passkeys")) });
  const { here, at } = usePasskeys();
  const [label, setLabel] = useState("");
  const [password, setPassword] = useState("");
  const [ending, setEnding] = useState<Passkey>();
  const again = () => client.invalidateQueries({ queryKey: ["passkeys"] });
  const add = useMutation({
    mutationFn: () => makePasskey(password, label),
    onSettled: () => setPassword(""),
    onSuccess: () => {
      setLabel("");
      void again();
    },
  });
  const end = useMutation({
    mutationFn: (passkey: number) => must(api.DELETE("/passkeys/{passkey}", { params: { path: { passkey } } })),
    onSuccess: again,
  });
  return (
    <Panel title="My passkeys, to sign in without a password">
      {(list.data?.passkeys.length ?? 0) > 0 && (
        <Table head={["Device", "Made", "Last used", ""]} wide>
          {list.data?.passkeys.map((k) => (
            <tr key={k.id} className="border-b border-line">
              <td className={tdClass}>{k.label}</td>
              <td className={tdClass}>{when(k.made_at)}</td>
              <td className={tdClass}>{k.used_at ? when(k.used_at) : "never"}</td>
              <td className={actsClass}>
                <Button look="quiet" aria-label={`End it: the passkey ${k.label}`} onClick={() => setEnding(k)}>
                  End it
                </Button>
              </td>
            </tr>
          ))}
        </Table>
      )}
      {here ? (
        <form
          className="flex flex-wrap items-end gap-2 p-3"
          onSubmit={(e) => {
            e.preventDefault();
            add.mutate();
          }}
        >
          <div className="w-64">
            <Labelled label="Device that it is kept on">
              <input className={inputClass} maxLength={100} value={label} onChange={(e) => setLabel(e.target.value)} />
            </Labelled>
          </div>
          <div className="w-64">
            <Password label="My password" value={password} onChange={setPassword} />
          </div>
          <Button type="submit" look="act" disabled={!label.trim() || !password || add.isPending}>
            {add.isPending ? "The device is asked" : "Make a passkey"}
          </Button>
        </form>
      ) : (
        <p className="p-3 text-ink-soft">
          {at && at !== location.origin ? (
            <>
              Passkeys belong to the name of the service:{" "}
              <a className="text-act underline" href={at}>
                open it at {at}
              </a>{" "}
              to make one.
            </>
          ) : at ? (
            "This browser gives no passkeys."
          ) : (
            "Passkeys need the service under a name of its own, over TLS. Whoever runs it sets that up."
          )}
        </p>
      )}
      <Wrong error={list.error ?? add.error ?? end.error} className="m-3" />
      <Confirm
        open={ending !== undefined}
        title={`End the passkey ${ending?.label}?`}
        yes="End it"
        look="ask"
        onYes={() => {
          if (ending) end.mutate(ending.id);
          setEnding(undefined);
        }}
        onNo={() => setEnding(undefined)}
      >
        Nobody signs in with it from now on. The device still keeps its half, and can be told to forget it.
      </Confirm>
    </Panel>
  );
}
