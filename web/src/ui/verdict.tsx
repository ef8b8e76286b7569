import type { Totals } from "../api/client";
import { cx } from "./parts";

/** The words for what a row would do and for what became of it, with their shapes and colours. */
const looks: Record<string, { mark: string; text: string; fill: string }> = {
  create: { mark: "●", text: "text-create", fill: "bg-create" },
  created: { mark: "●", text: "text-create", fill: "bg-create" },
  update: { mark: "◐", text: "text-update", fill: "bg-update" },
  updated: { mark: "◐", text: "text-update", fill: "bg-update" },
  delete: { mark: "⊘", text: "text-failed", fill: "bg-failed" },
  deleted: { mark: "⊘", text: "text-failed", fill: "bg-failed" },
  same: { mark: "○", text: "text-same", fill: "bg-same" },
  unchanged: { mark: "○", text: "text-same", fill: "bg-same" },
  skip: { mark: "–", text: "text-same", fill: "bg-skip" },
  skipped: { mark: "–", text: "text-same", fill: "bg-skip" },
  ask: { mark: "?", text: "text-ask", fill: "bg-ask" },
  hold: { mark: "■", text: "text-hold", fill: "bg-hold" },
  held: { mark: "■", text: "text-hold", fill: "bg-hold" },
  failed: { mark: "✕", text: "text-failed", fill: "bg-failed" },
  undone: { mark: "↶", text: "text-ask", fill: "bg-skip" },
};

export const verdictWords = ["create", "update", "delete", "same", "skip", "ask", "hold"] as const;
export const outcomeWords = ["created", "updated", "deleted", "unchanged", "skipped", "held", "failed", "undone"] as const;

export function Word({ word, short }: { word: string; short?: boolean }) {
  const l = looks[word];
  return (
    <span className={cx("whitespace-nowrap", l?.text)} title={word}>
      <span aria-hidden className="mr-1 inline-block w-3 text-center">
        {l?.mark}
      </span>
      <span className={short ? "sr-only" : undefined}>{word}</span>
    </span>
  );
}

/** How large a file is. */
export function size(bytes: number): string {
  return `${count(Math.ceil(bytes / 1024))} KiB`;
}

export function count(n: number): string {
  return n.toLocaleString("en-GB").replaceAll(",", "\u2009");
}

/** Totals as a bar in proportion; each part is a filter. */
export function TotalsBar(p: {
  totals: Record<string, number>;
  words: readonly string[];
  chosen: string;
  onChoose: (word: string) => void;
  /** Something else narrows the rows: not all are shown. */
  narrowed?: boolean;
  /** Only shown, not a filter. */
  still?: boolean;
}) {
  const there = p.words.filter((w) => (p.totals[w] ?? 0) > 0);
  const sum = there.reduce((n, w) => n + (p.totals[w] ?? 0), 0);
  return (
    <div>
      <div className="flex h-2.5 overflow-hidden rounded-full bg-line" aria-hidden>
        {there.map((w) => (
          <span
            key={w}
            className={cx(looks[w]?.fill, p.chosen && p.chosen !== w && "opacity-30")}
            style={{ width: `${(100 * (p.totals[w] ?? 0)) / sum}%`, minWidth: 3 }}
          />
        ))}
      </div>
      {p.still && (
        <div className="mt-1.5 flex flex-wrap gap-x-3">
          {there.map((w) => (
            <span key={w}>
              <Word word={w} /> <b className="figures font-semibold">{count(p.totals[w] ?? 0)}</b>
            </span>
          ))}
        </div>
      )}
      {!p.still && (
        <div className="mt-1.5 flex flex-wrap gap-1" role="group" aria-label="Show only rows with">
          <Chip on={!p.chosen && !p.narrowed} onClick={() => p.onChoose("")}>
            all {count(sum)}
          </Chip>
          {there.map((w) => (
            <Chip key={w} on={p.chosen === w} onClick={() => p.onChoose(p.chosen === w ? "" : w)}>
              <Word word={w} /> <b className="figures font-semibold">{count(p.totals[w] ?? 0)}</b>
            </Chip>
          ))}
        </div>
      )}
    </div>
  );
}

export function Chip({ on, onClick, children }: { on: boolean; onClick: () => void; children: React.ReactNode }) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={onClick}
      className={cx(
        "figures inline-flex items-center gap-1 rounded-full border px-2.5 py-0.5 text-[12.5px]",
        on ? "border-act bg-act-soft" : "border-line hover:border-line-strong",
      )}
    >
      {children}
    </button>
  );
}

/** A few words for an import's outcome or, before the load, its verdicts. */
export function Tally({
  outcomes,
  verdicts,
  line,
}: {
  outcomes: Record<string, number>;
  verdicts?: Record<string, number> | undefined;
  /** In one line, cut where there is no more room. */
  line?: boolean;
}) {
  return (
    <span className={cx("figures flex", line ? "gap-x-2.5 whitespace-nowrap" : "flex-wrap gap-x-3")}>
      {tally(outcomes, verdicts).map(([w, n]) => (
        <span key={w}>
          {count(n)} <Word word={w} />
        </span>
      ))}
    </span>
  );
}

/** How many of each outcome there are, of each verdict where nothing was loaded. */
function tally(outcomes: Record<string, number>, verdicts: Record<string, number> | undefined): [string, number][] {
  const loaded = outcomeWords.some((w) => outcomes[w]);
  const words: readonly string[] = loaded ? outcomeWords : verdictWords;
  const totals = loaded ? outcomes : (verdicts ?? {});
  return words.flatMap((w) => (totals[w] ? [[w, totals[w]]] : []));
}

/** A tally as plain text. */
export function tallyText(outcomes: Record<string, number>, verdicts: Record<string, number> | undefined): string {
  return tally(outcomes, verdicts)
    .map(([w, n]) => `${count(n)} ${w}`)
    .join(", ");
}

/** How many records of each draft a check would write, by verdict. */
export function DraftTotals({ totals }: { totals: Totals }) {
  const drafts = totals.drafts ?? [];
  if (drafts.length < 2) return null;
  const words = verdictWords.filter((w) => drafts.some((d) => d.verdicts[w]));
  return (
    <table className="mt-1 w-full text-[12.5px]">
      <thead>
        <tr className="text-right text-ink-soft">
          <td />
          {words.map((w) => (
            <th key={w} scope="col" className="font-normal">
              {w}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {drafts.map((d) => (
          <tr key={d.name} className="border-t border-line">
            <th scope="row" className="py-0.5 text-left font-medium">
              {d.name}
            </th>
            {words.map((w) => (
              <td key={w} className="figures text-right">
                {d.verdicts[w] ? count(d.verdicts[w]) : ""}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** How many records a load would write, by verdict. */
export function written(totals: Totals | undefined): Record<string, number> {
  const sum: Record<string, number> = {};
  for (const d of totals?.drafts ?? []) {
    for (const [w, n] of Object.entries(d.verdicts)) sum[w] = (sum[w] ?? 0) + n;
    if (d.gone?.remove && d.gone.records > 0) sum["delete"] = (sum["delete"] ?? 0) + d.gone.records;
  }
  return sum;
}
