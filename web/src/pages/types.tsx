import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, must, type Field, type RecordType } from "../api/client";
import { types, who } from "../api/queries";
import { Button, Choose, cx, Dialog, inputClass, Labelled, Loading, Panel, tdClass, thClass, Wrong } from "../ui/parts";

export function TypesPage() {
  const { workspace = "main", type } = useParams();
  const kinds = useQuery(types(workspace));
  const me = useQuery(who);
  const [adding, setAdding] = useState(false);
  if (kinds.error) return <Wrong error={kinds.error} className="m-6" />;
  if (!kinds.data) return <Loading what="record types" />;
  const t = kinds.data.types.find((x) => x.name === type) ?? kinds.data.types[0];
  if (!t) return null;
  return (
    <div className="mx-auto max-w-[1280px] px-7 py-6">
      <h1 className="mb-4 text-[26px]">Record types</h1>
      <div className="grid grid-cols-[180px_1fr] items-start gap-5">
        <nav aria-label="Record types" className="space-y-0.5">
          {kinds.data.types.map((k) => (
            <Link
              key={k.name}
              to={`/w/${workspace}/types/${k.name}`}
              aria-current={k.name === t.name ? "page" : undefined}
              className={cx(
                "block rounded-md px-2.5 py-1.5",
                k.name === t.name ? "bg-act-soft font-medium" : "text-ink-soft hover:bg-act-soft",
              )}
            >
              {k.plural}
            </Link>
          ))}
        </nav>
        <Panel
          title={`${t.label} · ids like ${t.prefix}-1042 · version ${t.version}`}
          aside={me.data?.role === "administrator" && <Button onClick={() => setAdding(true)}>Add a field</Button>}
        >
          <div className="border-b border-line px-4 py-2 text-ink-soft">
            Found by:{" "}
            {t.match.map((m) => [...(m.fields ?? []), ...(m.alike?.length ? ["likeness"] : [])].join(" + ")).join(", then ")}
            {t.rules?.map((r) => (
              <div key={r.name}>
                Rule: {r.message} <code className="font-mono text-[12px]">{r.condition}</code>
              </div>
            ))}
          </div>
          <table className="w-full">
            <thead>
              <tr className="border-b border-line">
                {["Field", "Label", "Type", "", "Choices and help"].map((h, n) => (
                  <th key={n} scope="col" className={thClass}>
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {t.fields.map((f) => (
                <tr key={f.name} className="border-b border-line last:border-0">
                  <td className={`${tdClass} font-mono text-[12.5px]`}>{f.name}</td>
                  <td className={tdClass}>{f.label}</td>
                  <td className={`${tdClass} whitespace-nowrap`}>
                    {f.type}
                    {f.to && ` → ${f.to}`}
                  </td>
                  <td className={`${tdClass} whitespace-nowrap text-ink-soft`}>
                    {[f.required && "required", f.key && "key", f.lookup && "look-up", f.own && "own"].filter(Boolean).join(", ")}
                  </td>
                  <td className={`${tdClass} text-ink-soft`}>{f.choices ? f.choices.map((c) => c.label).join(", ") : f.help}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Panel>
      </div>
      <AddField workspace={workspace} t={t} open={adding} onClose={() => setAdding(false)} />
    </div>
  );
}

const fieldTypes: Field["type"][] = [
  "text",
  "long_text",
  "integer",
  "decimal",
  "money",
  "percent",
  "date",
  "date_time",
  "yes_no",
  "choice",
  "choices",
  "email",
  "phone",
  "url",
  "country",
  "language",
  "currency",
  "reference",
];

function AddField({ workspace, t, open, onClose }: { workspace: string; t: RecordType; open: boolean; onClose: () => void }) {
  const client = useQueryClient();
  const kinds = useQuery(types(workspace));
  const [label, setLabel] = useState("");
  const [kind, setKind] = useState<Field["type"]>("text");
  const [choices, setChoices] = useState("");
  const [to, setTo] = useState("account");
  const name = label
    .normalize("NFKD")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^_|_$/g, "");
  const add = useMutation({
    mutationFn: () =>
      must(
        api.POST("/workspaces/{workspace}/types/{type}/fields", {
          params: { path: { workspace, type: t.name } },
          body: {
            name,
            label,
            type: kind,
            ...(kind === "reference" ? { to } : {}),
            ...(kind === "choice" || kind === "choices"
              ? {
                  choices: choices
                    .split("\n")
                    .map((c) => c.trim())
                    .filter(Boolean)
                    .map((c) => ({ code: c.toLowerCase().replace(/[^a-z0-9]+/g, "_"), label: c })),
                }
              : {}),
          },
        }),
      ),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["types", workspace] });
      setLabel("");
      onClose();
    },
  });
  return (
    <Dialog
      open={open}
      onClose={onClose}
      title={`A field of your own for ${t.plural.toLowerCase()}`}
      foot={
        <Button look="act" disabled={!name || add.isPending} onClick={() => add.mutate()}>
          Add {label || "the field"}
        </Button>
      }
    >
      <div className="space-y-3">
        <Labelled label="Label" hint={name && `Its name will be ${name}.`}>
          <input className={inputClass} value={label} onChange={(e) => setLabel(e.target.value)} />
        </Labelled>
        <Labelled label="Type">
          <Choose
            label="Type"
            value={kind}
            onChange={(v) => setKind(v as Field["type"])}
            options={fieldTypes.map((v) => ({ value: v, label: v.replace("_", " ") }))}
          />
        </Labelled>
        {kind === "reference" && (
          <Labelled label="Points to">
            <Choose
              label="Points to"
              value={to}
              onChange={setTo}
              options={(kinds.data?.types ?? []).map((k) => ({ value: k.name, label: k.plural }))}
            />
          </Labelled>
        )}
        {(kind === "choice" || kind === "choices") && (
          <Labelled label="Choices, one a line">
            <textarea className={cx(inputClass, "h-28 py-2")} value={choices} onChange={(e) => setChoices(e.target.value)} />
          </Labelled>
        )}
        <Wrong error={add.error} />
      </div>
    </Dialog>
  );
}
