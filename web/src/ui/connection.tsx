import { QueryCache, MutationCache, QueryClient, useIsFetching, useQueryClient } from "@tanstack/react-query";
import { CloudOff } from "lucide-react";
import { Component, useEffect, useSyncExternalStore, type ReactNode } from "react";
import { Fault } from "../api/client";
import { who } from "../api/queries";
import { Button, Wrong } from "./parts";

/** Since when the service does not answer; undefined while it does. */
class Connection {
  private since: Date | undefined;
  private listeners = new Set<() => void>();

  readonly subscribe = (f: () => void) => {
    this.listeners.add(f);
    return () => this.listeners.delete(f);
  };

  readonly lostSince = () => this.since;

  lost() {
    if (this.since) return;
    this.since = new Date();
    for (const f of this.listeners) f();
  }

  /** The service has answered; what waited for it is told. */
  back() {
    if (!this.since) return;
    this.since = undefined;
    for (const f of this.listeners) f();
    window.dispatchEvent(new Event("uchi:back"));
  }
}

function unreachable(e: unknown): boolean {
  return e instanceof Fault && [0, 502, 503, 504].includes(e.problem.status);
}

function signedOut(e: unknown): boolean {
  return e instanceof Fault && e.problem.status === 401;
}

const connection = new Connection();

/** The client through which everything is asked. Here and nowhere else it is seen that the service fails, or knows the person no more. */
export function newClient(): QueryClient {
  const client: QueryClient = new QueryClient({
    queryCache: new QueryCache({
      onSuccess: () => connection.back(),
      onError: (e, query) => {
        if (unreachable(e)) connection.lost();
        else connection.back();
        if (signedOut(e) && query.queryKey[0] !== who.queryKey[0]) void client.invalidateQueries({ queryKey: who.queryKey });
      },
    }),
    mutationCache: new MutationCache({
      onSuccess: () => connection.back(),
      onError: (e, _v, _c, mutation) => {
        if (unreachable(e)) connection.lost();
        if (signedOut(e) && !mutation.meta?.["signsIn"]) void client.invalidateQueries({ queryKey: who.queryKey });
      },
    }),
    defaultOptions: {
      queries: {
        networkMode: "always", // the service may be on this machine, whatever the network does
        retry: (n, e) => n < 1 && unreachable(e),
        staleTime: 2_000,
        refetchOnWindowFocus: true,
      },
      mutations: { networkMode: "always" },
    },
  });
  return client;
}

const askEvery = 3_000;

/** Says while the service does not answer, and sees when it does again. */
export function ConnectionBanner() {
  const since = useSyncExternalStore(connection.subscribe, connection.lostSince);
  const client = useQueryClient();
  const asking = useIsFetching({ queryKey: who.queryKey }) > 0;
  useEffect(() => {
    if (!since) return;
    const timer = setInterval(() => void client.refetchQueries({ queryKey: who.queryKey }), askEvery);
    return () => clearInterval(timer);
  }, [since, client]);
  useEffect(() => {
    const again = () => void client.invalidateQueries();
    window.addEventListener("uchi:back", again);
    return () => window.removeEventListener("uchi:back", again);
  }, [client]);
  if (!since) return null;
  const at = since.toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" });
  return (
    <div role="alert" className="flex items-center gap-3 border-b border-ask bg-ask-soft px-4 py-1.5 text-[13px]">
      <CloudOff size={16} className="shrink-0 text-ask" aria-hidden />
      <span className="min-w-0">
        The service has not answered since {at}. What is shown is from before; what you changed waits here until it answers.
      </span>
      <Button className="ml-auto" disabled={asking} onClick={() => void client.refetchQueries({ queryKey: who.queryKey })}>
        {asking ? "Trying…" : "Try again"}
      </Button>
    </div>
  );
}

/** Keeps what goes wrong in drawing one part from taking the others with it. */
export class Boundary extends Component<{ what: string; children: ReactNode }, { error?: unknown }> {
  override state: { error?: unknown } = {};

  static getDerivedStateFromError(error: unknown) {
    return { error };
  }

  override render() {
    const { error } = this.state;
    if (error === undefined) return this.props.children;
    const updated =
      error instanceof Error && /import|module|chunk/i.test(error.message) && /fetch|load|import/i.test(error.message);
    return (
      <div className="m-6 max-w-xl space-y-3">
        {updated ? (
          <p role="alert">The console has been updated since it was opened. Load it again to see {this.props.what}.</p>
        ) : (
          <>
            <Wrong error={new Error(`${this.props.what} cannot be shown. What you changed is not lost.`)} />
            <p className="text-[12.5px] break-words text-ink-faint">{error instanceof Error ? error.message : String(error)}</p>
          </>
        )}
        <div className="flex gap-2">
          <Button look="act" onClick={() => location.reload()}>
            Load the console again
          </Button>
          {!updated && <Button onClick={() => this.setState({ error: undefined })}>Try to show it again</Button>}
        </div>
      </div>
    );
  }
}
