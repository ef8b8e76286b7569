import { Download } from "lucide-react";
import { Link } from "react-router";
import { act, useImportActs } from "../api/queries";
import { Button, Wrong } from "../ui/parts";
import { Chip, count, outcomeWords, Word } from "../ui/verdict";
import { noFilter } from "./grid";
import { HeldSheet } from "./mend";
import { Section, type PanelProps } from "./panel";
import { Runs } from "./undo";

export function ResultPanel({ workspace, i, kinds, filter, onFilter, onStation }: PanelProps) {
  const acts = useImportActs(workspace, i.id);
  const base = `/api/v1/workspaces/${workspace}/imports/${i.id}/rows.csv`;
  const outcomes = outcomeWords.filter((w) => i.outcomes[w]);
  if (!outcomes.length)
    return <p className="px-4 py-3 text-ink-soft">Nothing is loaded yet. What happens to each row is shown here.</p>;
  const undone = i.outcomes["undone"] ?? 0;
  const left = (i.outcomes["held"] ?? 0) + (i.outcomes["failed"] ?? 0);
  return (
    <>
      <Section title={i.state === "loaded" ? "Loaded" : i.state}>
        <ul className="space-y-1">
          {outcomes.map((w) => (
            <li key={w} className="flex items-center gap-2">
              <span className="figures w-12 shrink-0 text-right font-semibold">{count(i.outcomes[w] ?? 0)}</span>
              <Chip on={filter.outcome === w} onClick={() => onFilter({ ...noFilter, outcome: filter.outcome === w ? "" : w })}>
                <Word word={w} />
              </Chip>
            </li>
          ))}
        </ul>
        {((i.outcomes["created"] ?? 0) > 0 || i.routine?.held === "record") &&
          [...new Set(kinds.map((k) => k.t))].map((t) => (
            <Link key={t.name} className="mt-2 block text-act" to={`/w/${workspace}/records/${t.name}?import=${i.id}`}>
              See the new {t.plural.toLowerCase()}
            </Link>
          ))}
      </Section>
      <Runs workspace={workspace} i={i} />
      <Section title="As a sheet">
        {[
          ["", "every row with its outcome"],
          ["created", "what was created, with the new ids"],
          ["held", "what is held, with what is wrong"],
          ["failed", "what failed"],
        ]
          .filter(([w]) => !w || i.outcomes[w])
          .map(([w, text]) => (
            <a key={w} className="flex items-center gap-1.5 py-1 text-act" href={w ? `${base}?outcome=${w}` : base}>
              <Download size={14} /> {text}
            </a>
          ))}
      </Section>
      {undone > 0 && (
        <Section title="Taken back">
          <p className="mb-2 text-ink-soft">{count(undone)} rows were taken back. They can be checked and loaded anew.</p>
          <Button
            disabled={!act(i, "check").can || acts.check.isPending}
            onClick={() => acts.check.mutate(undefined, { onSuccess: () => onStation("check") })}
          >
            Check them again
          </Button>
        </Section>
      )}
      {left > 0 && (
        <Section title="What is left">
          <p className="mb-2 text-ink-soft">
            {count(left)} rows are not in. Mend their cells in the grid, or what the words mean; then load what is left.
          </p>
          <div className="flex flex-wrap gap-2">
            <Button
              disabled={!act(i, "check").can || acts.check.isPending}
              onClick={() => acts.check.mutate(undefined, { onSuccess: () => onStation("check") })}
            >
              Check what is left
            </Button>
            <Button look="quiet" onClick={() => onStation("columns")}>
              Change the mapping
            </Button>
          </div>
          <Wrong error={acts.check.error} className="mt-2" />
          <HeldSheet workspace={workspace} i={i} />
        </Section>
      )}
    </>
  );
}
