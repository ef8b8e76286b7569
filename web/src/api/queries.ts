import {
  infiniteQueryOptions,
  keepPreviousData,
  queryOptions,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { useEffect, useState } from "react";
import {
  api,
  must,
  type Act,
  type Import,
  type LoadRequest,
  type Person,
  type Progress,
  type Reading,
  type UndoRequest,
} from "./client";

/** Who is signed in: role is what they may do in the workspace of the page, everywhere what they may do elsewhere. */
export const who = queryOptions({
  queryKey: ["who"],
  queryFn: async () => {
    const workspace = /^\/w\/([^/]+)/.exec(location.pathname)?.[1] ?? "main";
    return withRoles(await must(api.GET("/session", { params: { query: { in: workspace } } })));
  },
  retry: false,
  staleTime: 60_000,
});

export function withRoles(p: Person): Person & { everywhere: Person["role"] } {
  const here = p.role_here && p.role_here !== "none" ? (p.role_here as Person["role"]) : p.role;
  return { ...p, role: here, everywhere: p.role };
}

/** How people may sign in beside with a password. */
export const ways = queryOptions({
  queryKey: ["ways"],
  queryFn: () => must(api.GET("/session/ways")),
  staleTime: Infinity,
  retry: false,
});

/** Everybody who may sign in, for administrators. */
export const people = queryOptions({ queryKey: ["people"], queryFn: () => must(api.GET("/people")) });

export const workspaces = queryOptions({
  queryKey: ["workspaces"],
  queryFn: () => must(api.GET("/workspaces")),
  refetchInterval: (q) => (q.state.data?.workspaces.some((w) => w.filling && !w.filling.trouble) ? 1_000 : false),
});

/** Waits until the records of a copied workspace are there. */
export async function filled(workspace: string): Promise<void> {
  for (;;) {
    const { filling } = await must(api.GET("/workspaces/{workspace}", { params: { path: { workspace } } }));
    if (!filling) return;
    if (filling.trouble) throw new Error(`${filling.trouble.message}. ${filling.trouble.mend ?? ""}`);
    await new Promise((go) => setTimeout(go, 400));
  }
}

export const start = (workspace: string) =>
  queryOptions({
    queryKey: ["start", workspace],
    queryFn: () => must(api.GET("/workspaces/{workspace}/start", { params: { path: { workspace } } })),
    refetchInterval: 5_000,
  });

export const types = (workspace: string) =>
  queryOptions({
    queryKey: ["types", workspace],
    queryFn: () => must(api.GET("/workspaces/{workspace}/types", { params: { path: { workspace } } })),
    staleTime: 30_000,
  });

/** The bundles, newest first, without their imports. */
export const bundles = (workspace: string) =>
  queryOptions({
    queryKey: ["bundles", workspace],
    queryFn: () => must(api.GET("/workspaces/{workspace}/bundles", { params: { path: { workspace } } })),
    refetchInterval: 5_000,
  });

/** Which imports are listed; what is left out chooses all. */
export interface Imports {
  text?: string;
  state?: Import["state"][];
  into?: string;
  person?: string;
  from?: string;
  to?: string;
}

export const imports = (workspace: string, which: Imports) =>
  infiniteQueryOptions({
    queryKey: ["imports", workspace, which],
    initialPageParam: "",
    queryFn: ({ pageParam }) =>
      must(
        api.GET("/workspaces/{workspace}/imports", {
          params: { path: { workspace }, query: { ...which, limit: 50, ...(pageParam ? { cursor: pageParam } : {}) } },
        }),
      ),
    getNextPageParam: (last) => last.next || undefined,
    placeholderData: keepPreviousData,
    // Somebody who has scrolled far down is not sent all of it again.
    refetchInterval: (q) => ((q.state.data?.pages.length ?? 0) > 4 ? false : 5_000),
  });

export const oneImport = (workspace: string, id: number) =>
  queryOptions({
    queryKey: ["import", workspace, id],
    queryFn: () => must(api.GET("/workspaces/{workspace}/imports/{import}", { params: { path: { workspace, import: id } } })),
  });

/** What the columns of an import seem to be, for the records that its rows become now. */
export const suggestions = (workspace: string, i: Import | undefined) =>
  queryOptions({
    queryKey: ["suggestions", workspace, i?.id, i?.routine?.drafts.map((d) => [d.name, d.type]), i?.into, i?.reading],
    enabled: i !== undefined && i.busy !== "read" && (i.columns?.length ?? 0) > 0,
    queryFn: () =>
      must(
        api.GET("/workspaces/{workspace}/imports/{import}/suggestions", { params: { path: { workspace, import: i?.id ?? 0 } } }),
      ),
  });

export const oneRow = (workspace: string, id: number, row: number, stamp: string) =>
  queryOptions({
    queryKey: ["row", workspace, id, row, stamp],
    queryFn: () =>
      must(api.GET("/workspaces/{workspace}/imports/{import}/rows/{row}", { params: { path: { workspace, import: id, row } } })),
    placeholderData: (before) => before,
  });

/** What changes when rows may look different: the routine, the check, the load. */
export function stampOf(i: Import): string {
  return [i.changed_at, i.state, i.busy].join("|");
}

/** What changes when the grid's rows look different; placing a column does not. */
export function gridStampOf(i: Import): string {
  return [i.checked_at, i.ended_at, i.state, i.busy, i.rows, JSON.stringify(i.reading ?? {})].join("|");
}

/** Whether something can be done with an import now, and if not, why, as the service says. */
export function act(i: Import, name: Act["act"]): { can: boolean; why: string } {
  const a = i.acts?.find((x) => x.act === name);
  return { can: a?.possible ?? false, why: [a?.why, a?.mend].filter(Boolean).join(". ") };
}

/** Keeps an import fresh: while work is in progress its events are followed. */
export function useImport(workspace: string, id: number) {
  const client = useQueryClient();
  const [heard, setHeard] = useState(false); // events come
  const query = useQuery({
    ...oneImport(workspace, id),
    // What other tabs and people do appears too; while work is in progress its
    // events tell more, and where these do not come this does.
    refetchInterval: ({ state }) => (state.data?.busy ? (heard ? false : 1_500) : 4_000),
  });
  const busy = query.data?.busy ?? "";
  useEffect(() => {
    if (!busy) return;
    const events = new EventSource(`/api/v1/workspaces/${workspace}/imports/${id}/events`);
    const key = oneImport(workspace, id).queryKey;
    events.addEventListener("error", () => setHeard(false));
    events.addEventListener("progress", (e) => {
      setHeard(true);
      const p = JSON.parse((e as MessageEvent<string>).data) as Progress;
      if (!p.busy) {
        events.close();
        void client.invalidateQueries({ queryKey: key });
        return;
      }
      client.setQueryData(
        key,
        (was: Import | undefined) =>
          was && { ...was, state: p.state, busy: p.busy, rows: p.rows, done: p.done, of: p.of, outcomes: p.outcomes ?? {} },
      );
    });
    return () => {
      events.close();
      setHeard(false);
    };
  }, [busy, workspace, id, client]);
  return query;
}

/** The acts on an import; each gives the import as it is then. */
export function useImportActs(workspace: string, id: number) {
  const client = useQueryClient();
  const path = { workspace, import: id };
  const options = {
    onSuccess: (i: Import) => {
      client.setQueryData(oneImport(workspace, id).queryKey, i);
    },
  };
  return {
    reading: useMutation({
      mutationFn: (body: Reading) =>
        must(api.PUT("/workspaces/{workspace}/imports/{import}/reading", { params: { path }, body })),
      ...options,
    }),
    check: useMutation({
      mutationFn: () => must(api.POST("/workspaces/{workspace}/imports/{import}/check", { params: { path } })),
      ...options,
    }),
    load: useMutation({
      mutationFn: (body: LoadRequest) =>
        must(api.POST("/workspaces/{workspace}/imports/{import}/load", { params: { path }, body })),
      ...options,
    }),
    undo: useMutation({
      mutationFn: (body: UndoRequest) =>
        must(api.POST("/workspaces/{workspace}/imports/{import}/undo", { params: { path }, body })),
      ...options,
    }),
    reopen: useMutation({
      mutationFn: () => must(api.POST("/workspaces/{workspace}/imports/{import}/reopen", { params: { path } })),
      ...options,
    }),
    pause: useMutation({
      mutationFn: () => must(api.POST("/workspaces/{workspace}/imports/{import}/pause", { params: { path } })),
      ...options,
    }),
    resume: useMutation({
      mutationFn: () => must(api.POST("/workspaces/{workspace}/imports/{import}/resume", { params: { path } })),
      ...options,
    }),
    stop: useMutation({
      mutationFn: () => must(api.POST("/workspaces/{workspace}/imports/{import}/stop", { params: { path } })),
      ...options,
    }),
    cancel: useMutation({
      mutationFn: () => must(api.POST("/workspaces/{workspace}/imports/{import}/cancel", { params: { path } })),
      ...options,
    }),
    close: useMutation({
      mutationFn: () => must(api.POST("/workspaces/{workspace}/imports/{import}/close", { params: { path } })),
      ...options,
    }),
    discard: useMutation({
      mutationFn: () => must(api.DELETE("/workspaces/{workspace}/imports/{import}", { params: { path } })),
      onSuccess: () => client.invalidateQueries({ queryKey: ["imports", workspace] }),
    }),
  };
}
