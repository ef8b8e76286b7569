import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, must } from "../api/client";
import { Button, Wrong } from "./parts";
import { toast } from "./toast";
import { count, size } from "./verdict";

const key = (workspace: string) => ["exports", workspace];

/** Begins exports in the background, with what is chosen on the page. */
export function useLater(workspace: string, type: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (query: Record<string, unknown>) =>
      must(
        api.POST("/workspaces/{workspace}/records/{type}/exports", {
          params: { path: { workspace, type }, query },
        }),
      ),
    onSuccess: async (x) => {
      await client.invalidateQueries({ queryKey: key(workspace) });
      toast(`${x.name} with ${count(x.records)} records is being written.`);
    },
    onError: (error) => toast(error.message),
  });
}

/** One's exports that are written in the background, with what to do with them. */
export function Exports({ workspace }: { workspace: string }) {
  const client = useQueryClient();
  const list = useQuery({
    queryKey: key(workspace),
    queryFn: () => must(api.GET("/workspaces/{workspace}/exports", { params: { path: { workspace } } })),
    refetchInterval: (q) => (q.state.data?.exports.some((x) => !x.ready && !x.trouble?.code) ? 1_000 : false),
  });
  const remove = useMutation({
    mutationFn: (id: number) =>
      must(api.DELETE("/workspaces/{workspace}/exports/{export}", { params: { path: { workspace, export: id } } })),
    onSuccess: () => client.invalidateQueries({ queryKey: key(workspace) }),
    onError: (error) => toast(error.message),
  });
  const exports = list.data?.exports ?? [];
  if (exports.length === 0) return null;
  return (
    <ul aria-label="Exports" className="mb-3 max-h-32 overflow-auto rounded-lg border border-line bg-sheet text-[12.5px]">
      {exports.map((x) => (
        <li key={x.id} className="flex flex-wrap items-center gap-x-3 border-b border-line px-3 py-1 last:border-0">
          <span className="font-medium">{x.name}</span>
          <span className="figures text-ink-soft">
            {count(x.records)} records, {size(x.bytes)}
          </span>
          <span role="status" className="text-ink-soft">
            {x.trouble?.code ? x.trouble.message : x.ready ? "ready" : "being written…"}
          </span>
          <span className="ml-auto flex gap-1 [&_button]:h-7 [&_button]:text-[12px]">
            {x.ready && (
              <Button onClick={() => location.assign(`/api/v1/workspaces/${workspace}/exports/${x.id}/file`)}>Download</Button>
            )}
            <Button look="quiet" disabled={remove.isPending} onClick={() => remove.mutate(x.id)}>
              {x.ready || x.trouble?.code ? "Remove" : "Stop"}
            </Button>
          </span>
        </li>
      ))}
      <Wrong error={list.error} />
    </ul>
  );
}
