import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, must, type MatchRule, type RecordType, type RuleEffect } from "../api/client";
import { types } from "../api/queries";
import { Button, Choose, cx, Wrong, type Option } from "../ui/parts";
import { inWords, labelOf, RuleDialog, RuleList } from "../ui/rules";
import { toast } from "../ui/toast";
import { count } from "../ui/verdict";

/** By which rules the records of a type are found, what these make of the records that are there, and other ones. */
export function TypeRules({ workspace, t, mayChange }: { workspace: string; t: RecordType; mayChange: boolean }) {
  const queries = useQueryClient();
  const [draft, setDraft] = useState<MatchRule[]>();
  const [adding, setAdding] = useState(false);
  const rules = draft ?? t.match;
  const tried = useMutation({
    mutationFn: () =>
      must(
        api.POST("/workspaces/{workspace}/types/{type}/match/try", {
          params: { path: { workspace, type: t.name } },
          body: { rules },
        }),
      ),
  });
  const keep = useMutation({
    mutationFn: (next: MatchRule[]) =>
      must(
        api.PUT("/workspaces/{workspace}/types/{type}/match", {
          params: { path: { workspace, type: t.name }, header: { "If-Match": `"${t.version}"` } },
          body: { rules: next },
        }),
      ),
    onSuccess: (_, next) => {
      setDraft(undefined);
      void queries.invalidateQueries({ queryKey: types(workspace).queryKey });
      toast(
        next.length
          ? `${t.plural} are found by these rules from the next check on.`
          : `The usual rules hold for ${t.plural.toLowerCase()} again.`,
      );
    },
  });
  const change = (next: MatchRule[]) => {
    setDraft(next);
    tried.reset();
  };
  return (
    <section aria-label="How records are found" className="border-b border-line px-4 py-3">
      <h3 className="mb-1 font-head text-[16px]">How {t.plural.toLowerCase()} are found</h3>
      <p className="mb-2.5 text-[12.5px] text-ink-soft">
        Tried in this order until one finds; for every import without rules of its own.
      </p>
      <div className="grid grid-cols-[minmax(0,420px)_minmax(0,1fr)] items-start gap-6 max-[900px]:grid-cols-1">
        <div>
          {draft ? (
            <RuleList t={t} rules={rules} fixed={false} placed={() => true} onChange={change} />
          ) : (
            <ol className="space-y-1">
              {rules.map((m, n) => (
                <li key={n} className="flex gap-2">
                  <span className="figures w-4 shrink-0 text-right text-ink-faint">{n + 1}</span>
                  <span>
                    {inWords(m, t, () => true)}
                    {m.one === "ask" && ", always asked"}
                    {m.rows_apart && <span className="text-ink-soft">; equal rows of a file stay apart</span>}
                  </span>
                </li>
              ))}
            </ol>
          )}
          <div className="mt-3 flex flex-wrap gap-2">
            <Button disabled={tried.isPending} onClick={() => tried.mutate()}>
              {tried.isPending ? "Trying them…" : "Try them on the records"}
            </Button>
            {mayChange && !draft && (
              <Button look="quiet" onClick={() => change(t.match)}>
                Change them
              </Button>
            )}
            {draft && (
              <>
                <Button onClick={() => setAdding(true)}>Add a rule…</Button>
                <Button look="act" disabled={keep.isPending || rules.length === 0} onClick={() => keep.mutate(rules)}>
                  Let these rules hold
                </Button>
                <Button look="quiet" onClick={() => keep.mutate([])}>
                  The usual rules
                </Button>
                <Button look="quiet" onClick={() => setDraft(undefined)}>
                  Leave them as they were
                </Button>
              </>
            )}
          </div>
          <Wrong error={keep.error} className="mt-2" />
        </div>
        <div aria-live="polite">
          <Wrong error={tried.error} />
          {tried.data?.rules[0]?.records === 0 && (
            <p className="text-ink-soft">There are no {t.plural.toLowerCase()} yet to try them on.</p>
          )}
          {tried.data?.rules
            .filter((e) => e.records > 0)
            .map((e, n) => (
              <Effect key={n} n={n} e={e} workspace={workspace} />
            ))}
        </div>
      </div>
      {t.known && t.known.length > 0 && <Known workspace={workspace} t={t} mayChange={mayChange} />}
      {adding && (
        <RuleDialog
          t={t}
          placed={() => true}
          onClose={() => setAdding(false)}
          onAdd={(m) => {
            change([...rules, m]);
            setAdding(false);
          }}
        />
      )}
    </section>
  );
}

const knowns: Option<"take" | "hold" | "skip">[] = [
  { value: "take", label: "tell, and load it all the same" },
  { value: "hold", label: "hold the row" },
  { value: "skip", label: "leave the row out" },
];

/** What is done with rows that are there already as records of another type. */
function Known({ workspace, t, mayChange }: { workspace: string; t: RecordType; mayChange: boolean }) {
  const queries = useQueryClient();
  const kinds = useQuery(types(workspace));
  const change = useMutation({
    mutationFn: ({ other, means }: { other: string; means: "take" | "hold" | "skip" }) =>
      must(
        api.PUT("/workspaces/{workspace}/types/{type}/known/{other}", {
          params: { path: { workspace, type: t.name, other }, header: { "If-Match": `"${t.version}"` } },
          body: { means },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: types(workspace).queryKey }),
  });
  const others = [...new Set(t.known?.map((k) => k.type))];
  return (
    <div className="mt-4">
      <h4 className="mb-1 font-medium">Rows that are there already as something else</h4>
      <ul className="space-y-2">
        {others.map((other) => {
          const o = kinds.data?.types.find((x) => x.name === other);
          const rules = t.known?.filter((k) => k.type === other) ?? [];
          return (
            <li key={other} className="flex flex-wrap items-center gap-x-3 gap-y-1">
              <span className="min-w-0 flex-1">
                {o?.label ?? other}, by the same{" "}
                {rules
                  .map((k) =>
                    Object.keys(k.fields)
                      .map((n) => labelOf(t, n))
                      .join(" and "),
                  )
                  .join(", or ")}
              </span>
              <span className="w-64">
                <Choose
                  label={`A row that is a ${(o?.label ?? other).toLowerCase()} already`}
                  disabled={!mayChange || change.isPending}
                  value={(rules[0]?.means ?? "take") as "take" | "hold" | "skip"}
                  options={knowns}
                  onChange={(means) => change.mutate({ other, means })}
                />
              </span>
            </li>
          );
        })}
      </ul>
      <Wrong error={change.error} className="mt-2" />
    </div>
  );
}

/** What one rule makes of the records. */
function Effect({ n, e, workspace }: { n: number; e: RuleEffect; workspace: string }) {
  const likeness = e.says.startsWith("alike");
  return (
    <div className="mb-3 last:mb-0">
      <p>
        <span className="figures mr-2 text-ink-faint">{n + 1}</span>
        {likeness
          ? `Of ${count(e.looked_at)} records, compared with one another, ${count(e.taken)} pairs would be taken for one, ${count(e.asked)} asked about.`
          : `${count(e.looked_at)} of ${count(e.records)} records can be looked up by it; it tells ${count(e.alone)} of them apart.`}
        {!likeness && e.largest > 1 && ` At most ${count(e.largest)} are equal in it.`}
        {!likeness && !e.takes && e.looked_at > 0 && <b className="font-medium text-ask"> What it finds is asked, not taken.</b>}
      </p>
      {e.pairs.length > 0 && (
        <ul className="mt-1 ml-4 space-y-0.5 text-[12.5px]">
          {e.pairs.map((x, at) => (
            <li key={at} className={cx(!x.taken && "text-ink-soft")}>
              <Link className="text-act" to={`/w/${workspace}/records/${x.a.type}/${x.a.id}`}>
                {x.a.title}
              </Link>{" "}
              {x.a.id} and{" "}
              <Link className="text-act" to={`/w/${workspace}/records/${x.b.type}/${x.b.id}`}>
                {x.b.title}
              </Link>{" "}
              {x.b.id}: {x.taken ? "as one" : "asked"}
              {x.against?.length ? `, ${x.against.join(", ")}` : ""}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
