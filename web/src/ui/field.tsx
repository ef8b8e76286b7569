import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, must, type Choice, type Field, type FieldChange, type RecordType } from "../api/client";
import { types } from "../api/queries";
import type { Limit } from "./rights";
import { Button, Choose, cx, Dialog, inputClass, Labelled, Ticked, Wrong } from "./parts";

/** A label as a name: small letters, digits and underscores, a letter first. */
export function nameOf(label: string): string {
  return label
    .normalize("NFKD")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^[^a-z]+|_+$/g, "")
    .slice(0, 40);
}

export const fieldTypes: Field["type"][] = [
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
  "file",
];

export const keyTypes: Field["type"][] = ["text", "integer", "email", "phone", "url"];

/** The choices as lines: a label each, with its code before it where that says something else. */
function linesOf(list: Choice[] | undefined): string {
  return (list ?? [])
    .filter((c) => !c.closed)
    .map((c) => (c.code === nameOf(c.label) || c.code === c.label ? c.label : `${c.code} = ${c.label}`))
    .join("\n");
}

/** The choices that lines name, in their order; those that were there and are named no more are closed. */
function choicesOf(lines: string, before: Choice[] | undefined): Choice[] {
  const was = before ?? [];
  const list = lines
    .split("\n")
    .map((line) => line.trim())
    .filter(Boolean)
    .map((line) => {
      const at = line.indexOf(" = ");
      const label = at < 0 ? line : line.slice(at + 3).trim();
      const known = was.find((c) => (at < 0 ? c.label === label : c.code === line.slice(0, at).trim()));
      const code = known?.code ?? (at < 0 ? nameOf(label) || label : line.slice(0, at).trim());
      return { ...known, code, label, closed: false };
    });
  const gone = was.filter((c) => !list.some((x) => x.code === c.code)).map((c) => ({ ...c, closed: true }));
  return [...list, ...gone];
}

/**
 * A field of a record type, to be added or changed. From a column a new one
 * starts as what the column seems to want; of one that is there only that can
 * be changed which leaves its values as they are.
 */
export function FieldDialog({
  workspace,
  t,
  start,
  field,
  onClose,
  onAdded,
}: {
  workspace: string;
  t: RecordType;
  start?: Field;
  field?: Field;
  onClose: () => void;
  onAdded?: (name: string) => void;
}) {
  const client = useQueryClient();
  const kinds = useQuery(types(workspace));
  const from: Partial<Field> = field ?? start ?? {};
  const [label, setLabel] = useState(from.label ?? "");
  const [kind, setKind] = useState<Field["type"]>(from.type ?? "text");
  const [choices, setChoices] = useState(linesOf(from.choices));
  const [to, setTo] = useState(from.to ?? "account");
  const [help, setHelp] = useState(from.help ?? "");
  const [preset, setPreset] = useState(from.default ?? "");
  const [length, setLength] = useState(from.length ? String(from.length) : "");
  const [required, setRequired] = useState(from.required ?? false);
  const [key, setKey] = useState(from.key ?? false);
  const [retired, setRetired] = useState(from.retired ?? false);
  const [seenBy, setSeenBy] = useState<Limit>(from.seen_by ?? "viewer");
  const [filledBy, setFilledBy] = useState<Limit>(from.filled_by ?? "operator");
  const [newName, setNewName] = useState(from.name ?? "");
  const name = field ? newName : start && label === start.label ? start.name : nameOf(label);
  const typed = JSON.stringify([
    label,
    kind,
    choices,
    to,
    help,
    preset,
    length,
    required,
    key,
    retired,
    seenBy,
    filledBy,
    newName,
  ]);
  const [started] = useState(typed);
  const listed = kind === "choice" || kind === "choices";
  const long = Number(length) || undefined;
  const save = useMutation({
    mutationFn: () => {
      const path = { workspace, type: t.name };
      if (field) {
        const change: FieldChange = {
          label,
          help,
          required,
          retired,
          default: preset,
          ...(seenBy !== (field.seen_by ?? "viewer") ? { seen_by: seenBy } : {}),
          ...(filledBy !== (field.filled_by ?? "operator") ? { filled_by: filledBy } : {}),
          ...(field.own && newName !== field.name ? { name: newName } : {}),
          ...(long !== undefined && long !== field.length ? { length: long } : {}),
          ...(listed ? { choices: choicesOf(choices, field.choices) } : {}),
        };
        return must(
          api.PATCH("/workspaces/{workspace}/types/{type}/fields/{field}", {
            params: { path: { ...path, field: field.name }, header: { "If-Match": `"${t.version}"` } },
            body: change,
          }),
        );
      }
      return must(
        api.POST("/workspaces/{workspace}/types/{type}/fields", {
          params: { path },
          body: {
            name,
            label,
            type: kind,
            help,
            required,
            key: key && keyTypes.includes(kind),
            default: preset,
            ...(seenBy !== "viewer" ? { seen_by: seenBy } : {}),
            ...(filledBy !== "operator" ? { filled_by: filledBy } : {}),
            ...(long ? { length: long } : {}),
            ...(kind === "reference" ? { to } : {}),
            ...(listed ? { choices: choicesOf(choices, undefined) } : {}),
          },
        }),
      );
    },
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ["types", workspace] });
      onClose();
      onAdded?.(name);
    },
  });
  return (
    <Dialog
      open
      unsaved={typed !== started}
      onClose={onClose}
      title={field ? `${field.label}, a field of ${t.plural.toLowerCase()}` : `A field of your own for ${t.plural.toLowerCase()}`}
      foot={
        <Button look="act" disabled={!name || !label || save.isPending} onClick={() => save.mutate()}>
          {field ? "Save the changes" : `Add ${label || "the field"}`}
        </Button>
      }
    >
      <div className="space-y-3">
        <Labelled label="Label" hint={!field && name && `Its name will be ${name}.`}>
          <input className={inputClass} value={label} onChange={(e) => setLabel(e.target.value)} />
        </Labelled>
        {field?.own && (
          <Labelled label="Name" hint="Routines that use the old name go on to work.">
            <input className={cx(inputClass, "font-mono")} value={newName} onChange={(e) => setNewName(e.target.value.trim())} />
          </Labelled>
        )}
        {field ? (
          <p className="text-ink-soft">
            Type: {kind.replace("_", " ")}
            {field.key && ", a key"}. The type of a field stays as it is.
          </p>
        ) : (
          <Labelled label="Type">
            <Choose
              label="Type"
              value={kind}
              onChange={setKind}
              options={fieldTypes.map((v) => ({ value: v, label: v.replace("_", " ") }))}
            />
          </Labelled>
        )}
        {kind === "reference" && !field && (
          <Labelled label="Points to">
            <Choose
              label="Points to"
              value={to}
              onChange={setTo}
              options={(kinds.data?.types ?? []).map((k) => ({ value: k.name, label: k.plural }))}
            />
          </Labelled>
        )}
        {listed && (
          <Labelled
            label="Choices, one a line"
            hint={
              field
                ? "One that is taken out is closed: records keep it, new ones do not get it."
                : "code = label, where the code is to be another"
            }
          >
            <textarea className={cx(inputClass, "h-28 py-2")} value={choices} onChange={(e) => setChoices(e.target.value)} />
          </Labelled>
        )}
        <Labelled label="Help" hint="What belongs there, for those who fill it.">
          <input className={inputClass} value={help} onChange={(e) => setHelp(e.target.value)} />
        </Labelled>
        <div className="grid grid-cols-2 gap-3">
          <Labelled label="Value when none is given">
            <input className={inputClass} value={preset} onChange={(e) => setPreset(e.target.value)} />
          </Labelled>
          {(kind === "text" || kind === "long_text") && (
            <Labelled label="Most characters" hint={field ? "Can only be raised." : undefined}>
              <input
                className={inputClass}
                inputMode="numeric"
                value={length}
                onChange={(e) => setLength(e.target.value.replace(/\D/g, ""))}
              />
            </Labelled>
          )}
        </div>
        <Ticked label="Required: a new record must have it" on={required} onChange={setRequired} />
        {!field && keyTypes.includes(kind) && <Ticked label="A key: no two records have the same" on={key} onChange={setKey} />}
        <div className="grid grid-cols-2 gap-3">
          <Labelled
            label="Seen by"
            hint={t.title.includes(field?.name ?? "") ? "It names the records, so everybody sees it." : undefined}
          >
            <Choose
              label="Seen by"
              value={seenBy}
              onChange={setSeenBy}
              disabled={t.title.includes(field?.name ?? "")}
              options={[
                { value: "viewer", label: "everybody" },
                { value: "operator", label: "operators" },
                { value: "administrator", label: "administrators" },
              ]}
            />
          </Labelled>
          <Labelled label="Filled by" hint={seenBy === "administrator" ? "Nobody fills what they may not see." : undefined}>
            <Choose
              label="Filled by"
              value={seenBy === "administrator" ? seenBy : filledBy}
              onChange={setFilledBy}
              options={[
                { value: "operator", label: "operators" },
                { value: "administrator", label: "administrators" },
              ]}
            />
          </Labelled>
        </div>
        {field && <Ticked label="Retired: no longer filled, its values stay" on={retired} onChange={setRetired} />}
        <Wrong error={save.error} />
      </div>
    </Dialog>
  );
}
