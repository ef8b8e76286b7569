import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { types, who } from "../api/queries";
import { Button, cx, Loading, Panel, Table, tdClass, Wrong } from "../ui/parts";
import { limits } from "../ui/rights";
import type { Field } from "../api/client";
import { FieldDialog } from "../ui/field";
import { NewTypeDialog } from "../ui/newtype";
import { TypeRules } from "./rules";

export function TypesPage() {
  const { workspace = "main", type } = useParams();
  const kinds = useQuery(types(workspace));
  const me = useQuery(who);
  const [open, setOpen] = useState<"new" | Field>();
  const [adding, setAdding] = useState(false);
  const go = useNavigate();
  if (!kinds.data) return kinds.error ? <Wrong error={kinds.error} className="m-6" /> : <Loading what="record types" />;
  const t = kinds.data.types.find((x) => x.name === type) ?? kinds.data.types[0];
  if (!t) return null;
  return (
    <div className="mx-auto max-w-[1280px] px-7 py-6 max-[900px]:px-3">
      <title>Record types · Uchi</title>
      <div className="mb-4 flex items-center gap-3">
        <h1 className="mr-auto text-[26px]">Record types</h1>
        {me.data?.role === "administrator" && <Button onClick={() => setAdding(true)}>Add a record type</Button>}
      </div>
      {adding && (
        <NewTypeDialog
          workspace={workspace}
          onClose={() => setAdding(false)}
          onAdded={(made) => void go(`/w/${workspace}/types/${made.name}`)}
        />
      )}
      <div className="grid grid-cols-[180px_minmax(0,1fr)] items-start gap-5 max-[900px]:grid-cols-[minmax(0,1fr)]">
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
          aside={
            <span className="flex items-center gap-3">
              <a className="text-act" href={`/api/v1/workspaces/${workspace}/starter?type=${t.name}`} download>
                Starter sheet
              </a>
              <a className="text-act" href={`/api/v1/workspaces/${workspace}/types/${t.name}/document`} download={`${t.name}.md`}>
                As a document
              </a>
              {me.data?.role === "administrator" && <Button onClick={() => setOpen("new")}>Add a field</Button>}
            </span>
          }
        >
          <TypeRules key={t.name} workspace={workspace} t={t} mayChange={me.data?.role === "administrator"} />
          {t.rules && t.rules.length > 0 && (
            <div className="border-b border-line px-4 py-2 text-ink-soft">
              {t.rules.map((r) => (
                <div key={r.name}>
                  Rule: {r.message} <code className="font-mono text-[12px]">{r.condition}</code>
                </div>
              ))}
            </div>
          )}
          <Table head={["Field", "Label", "Type", "", "Choices and help", ""]}>
            {t.fields.map((f) => (
              <tr key={f.name} className={cx("border-b border-line last:border-0", f.retired && "text-ink-faint")}>
                <td className={`${tdClass} font-mono text-[12.5px]`}>{f.name}</td>
                <td className={tdClass}>{f.label}</td>
                <td className={`${tdClass} whitespace-nowrap`}>
                  {f.type}
                  {f.to && ` → ${f.to}`}
                </td>
                <td className={`${tdClass} whitespace-nowrap text-ink-soft`}>
                  {[
                    f.required && "required",
                    f.key && "key",
                    f.lookup && "look-up",
                    f.own && "own",
                    f.retired && "retired",
                    ...limits(f),
                  ]
                    .filter(Boolean)
                    .join(", ")}
                </td>
                <td className={`${tdClass} text-ink-soft`}>
                  {f.choices
                    ?.filter((c) => !c.closed)
                    .map((c) => c.label)
                    .join(", ")}
                  {f.choices && f.help && ". "}
                  {f.help}
                  {f.default && <span> (new records get “{f.default}”)</span>}
                </td>
                <td className="px-2 py-1 text-right">
                  {me.data?.role === "administrator" && (
                    <Button look="quiet" aria-label={`Change ${f.label}`} onClick={() => setOpen(f)}>
                      Change
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </Table>
        </Panel>
      </div>
      {open && (
        <FieldDialog
          workspace={workspace}
          t={t}
          {...(open === "new" ? {} : { field: open })}
          onClose={() => setOpen(undefined)}
        />
      )}
    </div>
  );
}
