import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Copy, Download, Trash2 } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, must } from "../api/client";
import { who } from "../api/queries";
import { Button, cx, Dialog, Empty, inputClass, Labelled, Loading, Panel, Wrong } from "../ui/parts";
import { count } from "../ui/verdict";
import { when } from "./start";

const routines = (workspace: string) => ({
  queryKey: ["routines", workspace],
  queryFn: () => must(api.GET("/workspaces/{workspace}/routines", { params: { path: { workspace } } })),
});

function saveDocument(workspace: string, name: string, text: string) {
  return must(
    api.PUT("/workspaces/{workspace}/routines/{name}/document", {
      params: { path: { workspace, name } },
      body: text,
      bodySerializer: (b) => b,
      headers: { "Content-Type": "application/yaml" },
    }),
  );
}

/** The saved set-ups of imports: what they take, and the document itself to read, change, copy and keep. */
export function RoutinesPage() {
  const { workspace = "main", name } = useParams();
  const list = useQuery(routines(workspace));
  const go = useNavigate();
  const me = useQuery(who);
  const file = useRef<HTMLInputElement>(null);
  const [coming, setComing] = useState<{ name: string; text: string }>();
  const mayChange = me.data?.role !== "viewer";
  const all = list.data?.routines ?? [];
  const shown = all.find((r) => r.name === name) ?? (name ? undefined : all[0]);
  return (
    <div className="mx-auto flex h-full max-w-[1280px] flex-col px-7 py-6 max-[900px]:px-3">
      <div className="mb-4 flex items-center gap-3">
        <title>Routines · Uchi</title>
        <h1 className="text-[26px]">Routines</h1>
        {mayChange && (
          <Button className="ml-auto" onClick={() => file.current?.click()}>
            Take one from a file…
          </Button>
        )}
        <input
          ref={file}
          type="file"
          accept=".yaml,.yml,.json"
          className="hidden"
          aria-label="File with a routine"
          onChange={(e) => {
            const f = e.target.files?.[0];
            e.target.value = "";
            if (f) void f.text().then((text) => setComing({ name: f.name.replace(/\.\w+$/, ""), text }));
          }}
        />
      </div>
      {list.error && !list.data ? (
        <Wrong error={list.error} />
      ) : !list.data ? (
        <Loading what="the routines" />
      ) : all.length === 0 ? (
        <Empty title="No routines yet">
          Set an import up once and save it at its Columns station. The next file with these columns is recognised.
        </Empty>
      ) : (
        <div className="grid min-h-0 flex-1 grid-cols-[320px_1fr] gap-5">
          <Panel className="min-h-0 overflow-auto">
            <ul>
              {all.map((r) => (
                <li key={r.name} className="border-b border-line last:border-0">
                  <Link
                    to={`/w/${workspace}/routines/${encodeURIComponent(r.name)}`}
                    aria-current={r === shown ? "page" : undefined}
                    className={cx("block px-4 py-2", r === shown ? "bg-act-soft" : "hover:bg-paper")}
                  >
                    <span className="block truncate font-medium">{r.name}</span>
                    <span className="figures block truncate text-[12px] text-ink-soft">
                      {r.routine.drafts.map((d) => d.type).join(", ")} ·{" "}
                      {count(r.routine.drafts.reduce((n, d) => n + Object.keys(d.fields).length, 0))} fields · version {r.version}
                    </span>
                  </Link>
                </li>
              ))}
            </ul>
          </Panel>
          {shown ? (
            <Document
              key={shown.name + String(shown.version)}
              workspace={workspace}
              name={shown.name}
              said={`Changed ${when(shown.changed_at)} by ${shown.changed_by}`}
              mayChange={mayChange}
              onCopy={(text) => setComing({ name: `${shown.name}-copy`, text })}
              onGone={() => void go(`/w/${workspace}/routines`)}
            />
          ) : (
            <Empty title="There is no routine of this name">Choose one on the left.</Empty>
          )}
        </div>
      )}
      {coming && (
        <SaveAs
          workspace={workspace}
          start={coming}
          taken={all.map((r) => r.name)}
          onClose={() => setComing(undefined)}
          onSaved={(saved) => {
            setComing(undefined);
            void go(`/w/${workspace}/routines/${encodeURIComponent(saved)}`);
          }}
        />
      )}
    </div>
  );
}

/** A routine as a document in YAML, to read and to change. */
function Document(p: {
  workspace: string;
  name: string;
  said: string;
  mayChange: boolean;
  onCopy: (text: string) => void;
  onGone: () => void;
}) {
  const { workspace, name } = p;
  const client = useQueryClient();
  const address = `/api/v1/workspaces/${workspace}/routines/${encodeURIComponent(name)}/document`;
  const shown = useQuery({
    queryKey: ["routine", workspace, name],
    queryFn: () =>
      must(
        api.GET("/workspaces/{workspace}/routines/{name}/document", { params: { path: { workspace, name } }, parseAs: "text" }),
      ),
  });
  const [text, setText] = useState<string>();
  const [removing, setRemoving] = useState(false);
  useEffect(() => setText(undefined), [shown.data]);
  const fresh = () => {
    void client.invalidateQueries({ queryKey: ["routines", workspace] });
    void client.invalidateQueries({ queryKey: ["routine", workspace, name] });
  };
  const save = useMutation({ mutationFn: (t: string) => saveDocument(workspace, name, t), onSuccess: fresh });
  const remove = useMutation({
    mutationFn: () => must(api.DELETE("/workspaces/{workspace}/routines/{name}", { params: { path: { workspace, name } } })),
    onSuccess: () => {
      fresh();
      p.onGone();
    },
  });
  const now = text ?? shown.data ?? "";
  const changed = text !== undefined && text !== shown.data;
  return (
    <Panel className="flex min-h-0 flex-col">
      <header className="flex items-center gap-2 border-b border-line px-4 py-2">
        <div className="min-w-0">
          <h2 className="truncate text-[17px]">{name}</h2>
          <p className="text-[12px] text-ink-soft">{p.said}</p>
        </div>
        <span className="ml-auto flex gap-1.5">
          <a className="inline-flex items-center gap-1.5 px-2 text-act" href={address}>
            <Download size={14} /> Keep as a file
          </a>
          {p.mayChange && (
            <>
              <Button onClick={() => p.onCopy(now)}>
                <Copy size={14} className="mr-1.5 inline" />
                Copy…
              </Button>
              <Button look="quiet" aria-label={`Remove ${name}`} onClick={() => setRemoving(true)}>
                <Trash2 size={15} />
              </Button>
            </>
          )}
        </span>
      </header>
      <Wrong error={shown.error ?? save.error ?? remove.error} className="m-3" />
      {shown.isPending ? (
        <Loading what="the routine" />
      ) : (
        <textarea
          aria-label={`The routine ${name} in YAML`}
          spellCheck={false}
          readOnly={!p.mayChange}
          className="min-h-0 flex-1 resize-none bg-sheet px-4 py-3 font-mono text-[12.5px] leading-5"
          value={now}
          onChange={(e) => setText(e.target.value)}
        />
      )}
      {changed && (
        <footer className="flex gap-2 border-t border-ask bg-ask-soft px-4 py-2.5">
          <Button look="act" disabled={save.isPending} onClick={() => save.mutate(now)}>
            Save the changes
          </Button>
          <Button
            onClick={() => {
              setText(undefined);
              save.reset();
            }}
          >
            Leave it as it was
          </Button>
        </footer>
      )}
      {removing && (
        <Dialog
          open
          onClose={() => setRemoving(false)}
          title={`Forget the routine ${name}?`}
          foot={
            <Button look="ask" onClick={() => remove.mutate()}>
              Forget it
            </Button>
          }
        >
          <p>Imports that were made with it stay as they are. New files are no longer recognised by it.</p>
        </Dialog>
      )}
    </Panel>
  );
}

/** Saves a document under a name; a name that is taken says so before. */
function SaveAs(p: {
  workspace: string;
  start: { name: string; text: string };
  taken: string[];
  onClose: () => void;
  onSaved: (name: string) => void;
}) {
  const client = useQueryClient();
  const [name, setName] = useState(p.start.name);
  const taken = p.taken.includes(name.trim());
  const save = useMutation({
    mutationFn: () => saveDocument(p.workspace, name.trim(), p.start.text),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["routines", p.workspace] });
      p.onSaved(name.trim());
    },
  });
  return (
    <Dialog
      open
      onClose={p.onClose}
      title="Save a routine"
      foot={
        <Button look="act" disabled={!name.trim() || taken || save.isPending} onClick={() => save.mutate()}>
          Save it
        </Button>
      }
    >
      <Labelled label="Name" hint={taken ? "There is a routine of this name." : "The next file with its columns is recognised."}>
        <input autoFocus className={inputClass} value={name} onChange={(e) => setName(e.target.value)} />
      </Labelled>
      <Wrong error={save.error} className="mt-2" />
    </Dialog>
  );
}
