import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { parse } from "yaml";
import { inputClass, Loading, Panel, Wrong } from "../ui/parts";

interface Parameter {
  $ref?: string;
  name?: string;
  in?: string;
  required?: boolean;
  description?: string;
}
interface Operation {
  operationId: string;
  tags?: string[];
  summary?: string;
  parameters?: Parameter[];
  responses: Record<string, { description?: string }>;
}
interface Contract {
  info: { description: string };
  paths: Record<string, Record<string, Operation> & { parameters?: Parameter[] }>;
  components: { parameters: Record<string, Parameter> };
}

const methods = ["get", "post", "put", "patch", "delete"];

/** The contract as readable pages, made from the file that the service serves. */
export default function ApiPage() {
  const [text, setText] = useState("");
  const contract = useQuery({
    queryKey: ["contract"],
    staleTime: Infinity,
    queryFn: async () => parse(await (await fetch("/api/v1/openapi.yaml")).text()) as Contract,
  });
  if (!contract.data) return contract.error ? <Wrong error={contract.error} className="m-6" /> : <Loading what="the contract" />;
  const c = contract.data;
  const resolve = (p: Parameter): Parameter => (p.$ref ? (c.components.parameters[p.$ref.split("/").pop() ?? ""] ?? p) : p);
  const all = Object.entries(c.paths).flatMap(([path, item]) =>
    methods.flatMap((m) => {
      const op = item[m];
      return op ? [{ path, method: m, op, parameters: [...(item.parameters ?? []), ...(op.parameters ?? [])].map(resolve) }] : [];
    }),
  );
  const shown = all.filter(
    (x) => !text || `${x.path} ${x.op.summary} ${x.op.operationId}`.toLowerCase().includes(text.toLowerCase()),
  );
  const tags = [...new Set(shown.map((x) => x.op.tags?.[0] ?? ""))];
  return (
    <div className="mx-auto max-w-[1000px] space-y-4 px-7 py-6 max-[900px]:px-3">
      <title>API · Uchi</title>
      <h1 className="text-[26px]">The API, for programs</h1>
      <p className="max-w-2xl text-ink-soft">{c.info.description.replaceAll("`", "")}</p>
      <p>
        Paths begin with <code className="font-mono">/api/v1</code>. The contract itself:{" "}
        <a className="text-act" href="/api/v1/openapi.yaml">
          openapi.yaml
        </a>
        .
      </p>
      <input
        aria-label="Search operations"
        className={inputClass}
        placeholder="Search operations"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {tags.map((tag) => (
        <Panel key={tag} title={tag}>
          {shown
            .filter((x) => x.op.tags?.[0] === tag)
            .map((x) => (
              <details key={x.op.operationId} className="border-t border-line first:border-0">
                <summary className="flex gap-3 px-4 py-2 hover:bg-act-soft">
                  <code className="w-14 shrink-0 font-mono text-[12px] font-semibold text-act uppercase">{x.method}</code>
                  <span className="min-w-0">
                    <code className="font-mono text-[12.5px] break-all">{x.path}</code>
                    <span className="block text-ink-soft">{x.op.summary}</span>
                  </span>
                </summary>
                <dl className="grid grid-cols-[160px_1fr] gap-x-3 gap-y-1 px-4 pb-3 pl-[84px] text-[12.5px]">
                  {x.parameters.map((p) => (
                    <div key={`${p.in} ${p.name}`} className="contents">
                      <dt className="font-mono">
                        {p.name}
                        {p.required && " *"}
                      </dt>
                      <dd className="text-ink-soft">
                        in {p.in}. {p.description}
                      </dd>
                    </div>
                  ))}
                  {Object.entries(x.op.responses).map(([status, r]) => (
                    <div key={status} className="contents">
                      <dt className="font-mono">{status === "default" ? "error" : status}</dt>
                      <dd className="text-ink-soft">{r.description ?? "A problem document (RFC 9457)"}</dd>
                    </div>
                  ))}
                </dl>
              </details>
            ))}
        </Panel>
      ))}
    </div>
  );
}
