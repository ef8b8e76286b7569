import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, must, type Field, type RecordType } from "../api/client";
import { types } from "../api/queries";
import { Button, Choose, cx, Dialog, inputClass, Labelled, Wrong } from "./parts";

/** A label as a name: small letters, digits and underscores, a letter first. */
export function nameOf(label: string): string {
  return label
    .normalize("NFKD")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^[^a-z]+|_+$/g, "")
    .slice(0, 40);
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

/** A new field of a record type; from a column it starts as what the column seems to want. */
export function AddField({
  workspace,
  t,
  start,
  onClose,
  onAdded,
}: {
  workspace: string;
  t: RecordType;
  start?: Field;
  onClose: () => void;
  onAdded?: (name: string) => void;
}) {
  const client = useQueryClient();
  const kinds = useQuery(types(workspace));
  const [label, setLabel] = useState(start?.label ?? "");
  const [kind, setKind] = useState<Field["type"]>(start?.type ?? "text");
  const [choices, setChoices] = useState(start?.choices?.map((c) => c.label).join("\n") ?? "");
  const [to, setTo] = useState("account");
  const name = start && label === start.label ? start.name : nameOf(label);
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
                    .map((c) => ({ code: nameOf(c) || c, label: c })),
                }
              : {}),
          },
        }),
      ),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ["types", workspace] });
      onClose();
      onAdded?.(name);
    },
  });
  return (
    <Dialog
      open
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
