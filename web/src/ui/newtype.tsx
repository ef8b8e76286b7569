import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import { useState } from "react";
import { api, must, type Field, type RecordType } from "../api/client";
import { types } from "../api/queries";
import { fieldTypes, keyTypes, nameOf } from "./field";
import { Button, Choose, cx, Dialog, inputClass, Labelled, Loading, tdClass, thClass, Ticked, Wrong } from "./parts";

interface Row {
  f: Field;
  on: boolean;
}

/** A record type of one's own to be added: from the columns of an import, or from nothing. */
export function NewTypeDialog(p: {
  workspace: string;
  importId?: number;
  onClose: () => void;
  onAdded: (t: RecordType) => void;
}) {
  const proposal = useQuery({
    queryKey: ["proposal", p.workspace, p.importId],
    enabled: p.importId !== undefined,
    queryFn: () =>
      must(
        api.GET("/workspaces/{workspace}/imports/{import}/type", {
          params: { path: { workspace: p.workspace, import: p.importId ?? 0 } },
        }),
      ),
  });
  if (p.importId !== undefined && !proposal.data)
    return (
      <Dialog open onClose={p.onClose} title="A record type of its own">
        {proposal.error ? <Wrong error={proposal.error} /> : <Loading what="what the columns say" />}
      </Dialog>
    );
  const start = proposal.data ?? { label: "", plural: "", fields: [{ name: "name", label: "Name", type: "text" as const }] };
  return <Form {...p} label={start.label} plural={start.plural ?? ""} fields={start.fields} title={proposal.data?.title} />;
}

function Form(p: {
  workspace: string;
  label: string;
  plural: string;
  fields: Field[];
  title?: string[] | undefined;
  onClose: () => void;
  onAdded: (t: RecordType) => void;
}) {
  const client = useQueryClient();
  const kinds = useQuery(types(p.workspace));
  const [label, setLabel] = useState(p.label);
  const [plural, setPlural] = useState(p.plural);
  const [rows, setRows] = useState<Row[]>(() => p.fields.map((f) => ({ f, on: true })));
  const typed = JSON.stringify([label, plural, rows]);
  const [started] = useState(typed);
  const set = (n: number, change: Partial<Field>) =>
    setRows((was) => was.map((r, m) => (m === n ? { ...r, f: { ...r.f, ...change } } : r)));
  const taken = rows.filter((r) => r.on && r.f.label.trim());
  const add = useMutation({
    mutationFn: () =>
      must(
        api.POST("/workspaces/{workspace}/types", {
          params: { path: { workspace: p.workspace } },
          body: {
            label,
            ...(plural ? { plural } : {}),
            ...(p.title && taken.some((r) => r.f.name === p.title?.[0]) ? { title: p.title } : {}),
            fields: taken.map((r) => r.f),
          },
        }),
      ),
    onSuccess: async (t) => {
      await client.invalidateQueries({ queryKey: ["types", p.workspace] });
      p.onClose();
      p.onAdded(t);
    },
  });
  return (
    <Dialog
      open
      wide
      unsaved={typed !== started}
      onClose={p.onClose}
      title="A record type of its own"
      foot={
        <Button look="act" disabled={!label.trim() || taken.length === 0 || add.isPending} onClick={() => add.mutate()}>
          Add {plural || label || "the type"} with {taken.length} {taken.length === 1 ? "field" : "fields"}
        </Button>
      }
    >
      <div className="grid grid-cols-2 gap-3">
        <Labelled label="One such record" hint="For example Berth.">
          <input className={inputClass} value={label} onChange={(e) => setLabel(e.target.value)} />
        </Labelled>
        <Labelled label="Several">
          <input
            className={inputClass}
            value={plural}
            placeholder={label && `${label}s`}
            onChange={(e) => setPlural(e.target.value)}
          />
        </Labelled>
      </div>
      <table className="mt-3 w-full">
        <thead>
          <tr className="border-b border-line">
            {["Field", "Type", "Key", "Must be there"].map((h) => (
              <th key={h} scope="col" className={thClass}>
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(({ f, on }, n) => (
            <tr key={n} className="border-b border-line last:border-0">
              <td className={tdClass}>
                <div className="flex items-center gap-2">
                  <Ticked
                    label={<span className="sr-only">Take {f.label}</span>}
                    on={on}
                    onChange={(v) => setRows((was) => was.map((r, m) => (m === n ? { ...r, on: v } : r)))}
                  />
                  <input
                    aria-label={`Label of field ${n + 1}`}
                    className={inputClass}
                    value={f.label}
                    onChange={(e) => set(n, { label: e.target.value, name: nameOf(e.target.value) })}
                  />
                </div>
              </td>
              <td className={tdClass}>
                <div className="flex gap-1.5">
                  <Choose
                    label={`Type of field ${n + 1}`}
                    className="w-32!"
                    value={f.type}
                    onChange={(type) =>
                      set(n, {
                        type,
                        ...(type === "reference" ? { to: f.to ?? "account" } : {}),
                        ...(keyTypes.includes(type) ? {} : { key: false }),
                      })
                    }
                    options={fieldTypes.map((v) => ({ value: v, label: v.replace("_", " ") }))}
                  />
                  {f.type === "reference" && (
                    <Choose
                      label={`What field ${n + 1} points to`}
                      className="w-36!"
                      value={f.to ?? ""}
                      onChange={(to) => set(n, { to })}
                      options={(kinds.data?.types ?? []).map((k) => ({ value: k.name, label: k.plural }))}
                    />
                  )}
                </div>
                {f.choices && f.choices.length > 0 && (
                  <div className="mt-1 max-w-72 text-[12px] text-ink-soft">{f.choices.map((c) => c.label).join(", ")}</div>
                )}
              </td>
              <td className={cx(tdClass, "pt-3!")}>
                <Ticked
                  label={<span className="sr-only">{f.label} is a key</span>}
                  on={f.key ?? false}
                  disabled={!keyTypes.includes(f.type)}
                  onChange={(key) => set(n, { key })}
                />
              </td>
              <td className={cx(tdClass, "pt-3!")}>
                <Ticked
                  label={<span className="sr-only">{f.label} must be there</span>}
                  on={f.required ?? false}
                  onChange={(required) => set(n, { required })}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Button
        look="quiet"
        className="mt-2"
        onClick={() => setRows((was) => [...was, { f: { name: "", label: "", type: "text" }, on: true }])}
      >
        <Plus size={14} aria-hidden /> Another field
      </Button>
      <Wrong error={add.error} className="mt-2" />
    </Dialog>
  );
}
