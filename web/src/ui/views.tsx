import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ArrowDown, ArrowUp, Bookmark, ChevronDown, Plus, X } from "lucide-react";
import { useState } from "react";
import { api, must, type SavedView, type View, type ViewColumn } from "../api/client";
import { Button, Confirm, Dialog, inputClass, Labelled, Menu, MenuItem, MenuLine, Ticked, Wrong } from "./parts";
import { toast } from "./toast";

export function useViews(workspace: string, type: string) {
  return useQuery({
    queryKey: ["views", workspace, type],
    queryFn: () => must(api.GET("/workspaces/{workspace}/views", { params: { path: { workspace }, query: { type } } })),
  });
}

/** Which view is looked at: another is chosen, this one saved, changed or forgotten. */
export function ViewMenu(p: {
  workspace: string;
  type: string;
  plural: string;
  views: SavedView[];
  view: SavedView | undefined;
  /** What is looked at now. */
  now: View;
  changed: boolean;
  onChoose: (v: SavedView | undefined) => void;
}) {
  const [asking, setAsking] = useState<"save" | "forget">();
  const client = useQueryClient();
  const after = () => client.invalidateQueries({ queryKey: ["views", p.workspace] });
  const change = useMutation({
    mutationFn: (v: SavedView) =>
      must(
        api.PUT("/workspaces/{workspace}/views/{view}", {
          params: { path: { workspace: p.workspace, view: v.id }, header: { "If-Match": `"${v.version}"` } },
          body: { type: v.type, name: v.name, shared: v.shared, view: p.now },
        }),
      ),
    onSuccess: async (v) => {
      await after();
      p.onChoose(v);
      toast(`${v.name} is saved.`);
    },
    onError: (e) => toast(e.message),
  });
  const forget = useMutation({
    mutationFn: (v: SavedView) =>
      must(api.DELETE("/workspaces/{workspace}/views/{view}", { params: { path: { workspace: p.workspace, view: v.id } } })),
    onSuccess: async () => {
      setAsking(undefined);
      p.onChoose(undefined);
      await after();
    },
    onError: (e) => toast(e.message),
  });
  const { view } = p;
  return (
    <>
      <Menu
        trigger={
          <Button data-view>
            <Bookmark size={14} aria-hidden />
            <span className="sr-only">View:</span>
            {view ? view.name : `All ${p.plural.toLowerCase()}`}
            {p.changed && <span className="text-ask">· {view ? "changed" : "not saved"}</span>}
            <ChevronDown size={14} aria-hidden />
          </Button>
        }
      >
        <MenuItem onSelect={() => p.onChoose(undefined)}>All {p.plural.toLowerCase()}</MenuItem>
        {p.views.map((v) => (
          <MenuItem key={v.id} onSelect={() => p.onChoose(v)}>
            {v.name}
            <span className="ml-auto pl-4 text-[12px] text-ink-faint">{v.shared ? `all, ${v.owner}’s` : "yours"}</span>
          </MenuItem>
        ))}
        <MenuLine />
        <MenuItem onSelect={() => setAsking("save")}>Save as a view…</MenuItem>
        {view && (
          <>
            <MenuItem
              disabled={!view.mine || !p.changed}
              why={view.mine ? "Nothing has changed." : `It is ${view.owner}’s; save it as a view of your own.`}
              onSelect={() => change.mutate(view)}
            >
              Save the changes
            </MenuItem>
            <MenuItem disabled={!view.mine} why={`It is ${view.owner}’s.`} onSelect={() => setAsking("forget")}>
              Forget this view
            </MenuItem>
          </>
        )}
      </Menu>
      {asking === "save" && (
        <SaveView
          {...p}
          onClose={() => setAsking(undefined)}
          onSaved={async (v) => {
            setAsking(undefined);
            await after();
            p.onChoose(v);
          }}
        />
      )}
      {view && (
        <Confirm
          open={asking === "forget"}
          title={`Forget ${view.name}?`}
          yes="Forget it"
          onYes={() => forget.mutate(view)}
          onNo={() => setAsking(undefined)}
        >
          No record is touched{view.shared ? "; nobody will see the view any more" : ""}.
        </Confirm>
      )}
    </>
  );
}

function SaveView(p: {
  workspace: string;
  type: string;
  now: View;
  onClose: () => void;
  onSaved: (v: SavedView) => Promise<void>;
}) {
  const [name, setName] = useState("");
  const [shared, setShared] = useState(false);
  const save = useMutation({
    mutationFn: () =>
      must(
        api.POST("/workspaces/{workspace}/views", {
          params: { path: { workspace: p.workspace } },
          body: { type: p.type, name: name.trim(), shared, view: p.now },
        }),
      ),
    onSuccess: (v) => p.onSaved(v),
  });
  return (
    <Dialog
      open
      onClose={p.onClose}
      title="Save as a view"
      foot={
        <Button look="act" disabled={!name.trim() || save.isPending} onClick={() => save.mutate()}>
          Save
        </Button>
      }
    >
      <form
        onSubmit={(e) => {
          e.preventDefault();
          if (name.trim()) save.mutate();
        }}
        className="grid gap-3"
      >
        <Labelled label="Name">
          <input className={inputClass} value={name} maxLength={80} autoFocus onChange={(e) => setName(e.target.value)} />
        </Labelled>
        <Ticked label="Everybody sees it" on={shared} onChange={setShared} />
        <p className="text-[12px] text-ink-soft">
          The filter, the columns in their order, and how the records are sorted are kept.
        </p>
        {save.error && <Wrong error={save.error} />}
      </form>
    </Dialog>
  );
}

/** Which columns are shown, in which order; also those of what a record refers to. */
export function ColumnsDialog(p: {
  columns: ViewColumn[];
  chosen: string[];
  onClose: () => void;
  onSave: (names: string[]) => void;
}) {
  const [list, setList] = useState(p.chosen);
  const [text, setText] = useState("");
  const labelOf = (name: string) => p.columns.find((c) => c.name === name)?.label ?? name;
  const found = p.columns.filter(
    (c) => !list.includes(c.name) && c.name !== "id" && `${c.label} ${c.name}`.toLowerCase().includes(text.trim().toLowerCase()),
  );
  const swap = (n: number, by: number) => {
    const next = [...list];
    const [one] = next.splice(n, 1);
    if (one) next.splice(n + by, 0, one);
    setList(next);
  };
  return (
    <Dialog
      open
      wide
      onClose={p.onClose}
      title="Columns"
      foot={
        <>
          <Button onClick={() => p.onSave([])}>The usual ones</Button>
          <Button look="act" disabled={list.length === 0} onClick={() => p.onSave(list)}>
            Show these
          </Button>
        </>
      }
    >
      <div className="grid grid-cols-2 gap-5 max-[700px]:grid-cols-1">
        <section aria-label="Shown">
          <h3 className="mb-2 text-[13px] font-medium">Shown, in this order</h3>
          <ul className="max-h-[50vh] overflow-auto">
            {list.map((name, n) => (
              <li key={name} className="flex items-center gap-1 border-b border-line py-1">
                <span className="mr-auto truncate">{labelOf(name)}</span>
                <Small label={`${labelOf(name)} further up`} off={n === 0} onClick={() => swap(n, -1)}>
                  <ArrowUp size={14} aria-hidden />
                </Small>
                <Small label={`${labelOf(name)} further down`} off={n === list.length - 1} onClick={() => swap(n, 1)}>
                  <ArrowDown size={14} aria-hidden />
                </Small>
                <Small label={`Take ${labelOf(name)} out`} onClick={() => setList(list.filter((x) => x !== name))}>
                  <X size={14} aria-hidden />
                </Small>
              </li>
            ))}
          </ul>
        </section>
        <section aria-label="To add">
          <input
            aria-label="Search columns"
            className={inputClass}
            placeholder="Search fields, also of what it refers to"
            value={text}
            autoFocus
            onChange={(e) => setText(e.target.value)}
          />
          <ul className="mt-2 max-h-[46vh] overflow-auto">
            {found.slice(0, 120).map((c) => (
              <li key={c.name}>
                <button
                  type="button"
                  className="flex w-full items-center gap-2 rounded px-2 py-1 text-left hover:bg-act-soft"
                  onClick={() => setList([...list, c.name])}
                >
                  <Plus size={13} aria-hidden className="text-ink-faint" /> {c.label}
                </button>
              </li>
            ))}
            {found.length === 0 && <li className="px-2 py-1 text-ink-soft">No field is called so.</li>}
          </ul>
        </section>
      </div>
    </Dialog>
  );
}

function Small(p: { label: string; off?: boolean; onClick: () => void; children: React.ReactNode }) {
  return (
    <button
      type="button"
      aria-label={p.label}
      disabled={p.off ?? false}
      className="rounded p-1 text-ink-soft hover:bg-act-soft disabled:opacity-30"
      onClick={p.onClick}
    >
      {p.children}
    </button>
  );
}
