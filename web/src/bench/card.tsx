import { ChevronDown } from "lucide-react";
import { Menu, MenuItem } from "../ui/parts";
import type { Column, Import, Parting, Suggestion } from "../api/client";
import { cx, Tip } from "../ui/parts";
import { count } from "../ui/verdict";
import {
  labelOf,
  originOf,
  partsFor,
  partsOf,
  placed,
  routineOf,
  saidName,
  spot,
  takenBy,
  telling,
  type Kind,
  type Spot,
} from "./mapping";
import { FieldPicker } from "./picker";

export const cardHeight = 104;

/** The card above a column: what stands in it and where it goes. */
export function ColumnCard(p: {
  i: Import;
  c: Column;
  kinds: Kind[];
  suggestion: Suggestion | undefined;
  /** The suggestions are still on their way: nothing is said of why a column is where it is. */
  awaited: boolean;
  /** What its cells look like, where that is something else than what it is placed on. */
  unlike: string | undefined;
  /** Its yes is read as no, as its header says. */
  opposite: boolean;
  partings: Parting[];
  disabled: boolean;
  onPlace: (column: string, to: Spot | "", also: boolean) => void;
  onPart: (column: string, p: Parting) => void;
  /** Says how the cells are read, where they can be read two ways. */
  onRead: (at: Spot[], how: Read) => void;
  onNotes?: ((column: string) => void) | undefined;
  onNew?: ((c: Column) => void) | undefined;
}) {
  const { i, c, kinds } = p;
  const at = placed(i).get(c.header) ?? [];
  const total = c.filled + c.blank;
  const nothing = c.nothing?.map((x) => `${count(x.count)} × ${x.text}`).join(", ");
  const suggested = p.suggestion && spot(p.suggestion.draft ?? kinds[0]?.name ?? "", p.suggestion.field);
  // What fits it as taken, else as one of several.
  const fitting =
    p.suggestion &&
    [p.suggestion, ...(p.suggestion.others ?? [])].find((s) => at.includes(spot(s.draft ?? kinds[0]?.name ?? "", s.field)));
  const doubt = !at.length && !telling(i).has(c.header) && p.suggestion ? p.suggestion : undefined;
  const tells = at.length ? undefined : telling(i).get(c.header);
  const which = at
    .map((s) => ({ when: originOf(i, s)?.when, label: labelOf(kinds, saidName(kinds, s)) }))
    .flatMap(({ when, label }) => (when ? [`${label} where ${when.column} says ${when.is.join(" or ")}`] : []))
    .join("; ");
  const reason = p.awaited
    ? "fetching why…"
    : at.length
      ? which || (fitting?.reason ?? "placed so before")
      : tells
        ? `it tells of which field ${tells} is`
        : doubt
          ? doubt.reason
          : "no field seems to fit";
  const label = at.map((s) => labelOf(kinds, saidName(kinds, s))).join(" + ");
  const fields = at.map((s) => {
    const [draft, field] = partsOf(s);
    return kinds.find((k) => k.name === draft)?.t.fields.find((f) => f.name === field);
  });
  const required = fields.some((f) => f?.required);
  const percent = fields.some((f) => f?.type === "percent");
  const unsettled = c.unsettled ?? (percent && c.percents === "mixed" ? "percents" : undefined);
  const settled = at.length > 0 && at.every((s) => originOf(i, s)?.[unsettled as keyof Read]);
  const byHand =
    unsettled === "date_order" ? i.reading?.date_order : unsettled === "decimal_sign" ? i.reading?.decimal_sign : undefined;
  const open = unsettled && !settled && !byHand ? unsettled : undefined;
  const unlike = at.length > 0 ? p.unlike : undefined;
  const attention = doubt !== undefined || open !== undefined || unlike !== undefined;
  // What is kept in thousands is called so, as its column is.
  const amounts = fields.some((f) => (f?.type === "money" || f?.type === "decimal") && f.label !== c.header);
  const unit = amounts && c.unit ? (at.map((s) => originOf(i, s)?.unit).find(Boolean) ?? c.unit) : undefined;
  // As somebody has said, or else as the header does.
  const sense = at.map((s) => originOf(i, s)?.sense).find(Boolean) ?? (p.opposite ? "opposite" : undefined);
  const loud = c.capitals && fields.some((f) => f?.type === "text" && named.has(f.likeness ?? f.holds ?? ""));
  const set = at.some((s) => originOf(i, s)?.capitals);
  const ways = open
    ? asked[open]
    : unit
      ? { question: units[unit], answers: inUnits }
      : sense
        ? { question: senses[sense], answers: inSense }
        : loud && { question: set ? "capitals set as names" : "in capitals", answers: ofCapitals };
  return (
    <div
      className="flex h-full flex-col gap-1 px-2 py-1.5"
      onDragOver={(e) => e.dataTransfer.types.includes("text/field") && e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        const to = e.dataTransfer.getData("text/field");
        if (to) p.onPlace(c.header, to, false);
      }}
    >
      <div className="flex items-center gap-1.5">
        <Tip text={`${c.header} · column ${c.letter}`}>
          <span dir="auto" tabIndex={-1} className="truncate font-medium">
            {c.header}
          </span>
        </Tip>
        {attention && <span className="ml-auto size-2 shrink-0 rounded-full bg-ask" title="Needs attention" />}
      </div>
      <div className="flex items-center gap-1.5 text-[11.5px] text-ink-faint">
        <div
          className="h-1 w-14 overflow-hidden rounded-full bg-line"
          title={[`${count(c.filled)} of ${count(total)} filled`, nothing && `${nothing} stand for nothing`]
            .filter(Boolean)
            .join("; ")}
        >
          <div className="h-full bg-ink-faint" style={{ width: `${total ? (100 * c.filled) / total : 0}%` }} />
        </div>
        <span className="figures truncate">
          {c.filled === 0 ? "all blank" : `${c.guess} · ${count(c.distinct)} different`}
          {nothing && (
            <span title="They are read as blanks.">
              {" "}
              · {nothing.length > 12 ? `${count((c.nothing ?? []).reduce((n, x) => n + x.count, 0))} say nothing` : nothing}
            </span>
          )}
        </span>
      </div>
      {kinds.length > 0 && (
        <FieldPicker
          kinds={kinds}
          label={`Field for column ${c.header}`}
          value={at}
          taken={takenBy(routineOf(i))}
          perhaps={
            doubt
              ? [doubt, ...(doubt.others ?? [])].map((o) => ({
                  to: spot(o.draft ?? kinds[0]?.name ?? "", o.field),
                  reason: `perhaps: ${o.reason}`,
                }))
              : []
          }
          partings={p.partings.map((x) => ({
            p: x,
            label: partsFor(i, c.header, x)
              .map((f) => labelOf(kinds, saidName(kinds, spot(x.draft, f.field))))
              .join(" + "),
          }))}
          onPick={(to, also) => p.onPlace(c.header, to, also)}
          onPart={(x) => p.onPart(c.header, x)}
          onNotes={p.onNotes && (() => p.onNotes?.(c.header))}
          onNew={p.onNew && (() => p.onNew?.(c))}
          trigger={
            <button
              type="button"
              disabled={p.disabled}
              aria-label={`${c.header} goes to ${label || (tells ? `no field, and tells of ${tells}` : "no field")}${!label && doubt && suggested ? `, perhaps ${labelOf(kinds, saidName(kinds, suggested))}?` : ""}`}
              className={cx(
                "flex h-7 w-full items-center justify-between gap-1 rounded-md border px-2 text-left text-[12.5px] disabled:opacity-60",
                at.length
                  ? "border-act bg-act-soft font-medium"
                  : doubt
                    ? "border-ask border-dashed text-ask"
                    : "border-line-strong border-dashed text-ink-faint",
              )}
            >
              <span className="truncate">
                {label ||
                  (tells
                    ? `tells of ${tells}`
                    : doubt && suggested
                      ? `${labelOf(kinds, saidName(kinds, suggested))}?`
                      : "no field")}
                {required && <b className="text-ask"> *</b>}
              </span>
              <ChevronDown size={13} aria-hidden />
            </button>
          }
        />
      )}
      {ways ? (
        <Menu
          trigger={
            <button
              type="button"
              disabled={p.disabled || at.length === 0}
              className={cx(
                "truncate text-left text-[11.5px] font-medium underline disabled:no-underline",
                open ? "text-ask" : "text-ink-faint",
              )}
            >
              {ways.question}
            </button>
          }
        >
          {ways.answers.map(([label, how]) => (
            <MenuItem key={label} onSelect={() => p.onRead(at, how)}>
              {label}
            </MenuItem>
          ))}
        </Menu>
      ) : (
        <Tip text={unlike ?? reason}>
          <div
            tabIndex={-1}
            aria-busy={p.awaited}
            className={cx("truncate text-[11.5px]", unlike ? "font-medium text-ask" : "text-ink-faint")}
          >
            {unlike ?? reason}
          </div>
        </Tip>
      )}
    </div>
  );
}

/** How the cells of a column are read, where they can be read two ways. */
interface Read {
  date_order?: "day_first" | "month_first";
  decimal_sign?: "." | ",";
  percents?: "of_hundred" | "of_one" | "either";
  unit?: "ones" | "thousands" | "millions";
  sense?: "same" | "opposite";
  capitals?: "as_names" | undefined;
}

/** What fields hold that are names. */
const named = new Set([
  "given_name",
  "family_name",
  "company_name",
  "street",
  "locality",
  "job_title",
  "region",
  "words",
  "person",
]);

const ofCapitals: [string, Read][] = [
  ["Set them as names: VAN DER KADE is van der Kade", { capitals: "as_names" }],
  ["Leave them as they stand", { capitals: undefined }],
];

/** What the yes of a column is to its field. */
const senses = { same: "yes is read as yes", opposite: "yes is read as no" };

const inSense: [string, Read][] = [
  ["The header says the opposite: yes is read as no", { sense: "opposite" }],
  ["As the cells say: yes is yes", { sense: "same" }],
];

/** In what the amounts of a column are. */
const units = { ones: "as they stand", thousands: "in thousands", millions: "in millions" };

const inUnits: [string, Read][] = [
  ["In thousands: 70 is 70,000", { unit: "thousands" }],
  ["In millions: 70 is 70,000,000", { unit: "millions" }],
  ["As they stand: 70 is 70", { unit: "ones" }],
];

/** What is asked of a column that can be read two ways, and the answers. */
const asked: Record<string, { question: string; answers: [string, Read][] }> = {
  percents: {
    question: "Of a hundred or of one?",
    answers: [
      ["Of a hundred: 60 is 60 %, and 0.5 half a percent", { percents: "of_hundred" }],
      ["Both: 0.5 is 50 %, and 60 is 60 %", { percents: "either" }],
    ],
  },
  date_order: {
    question: "Day or month first?",
    answers: [
      ["The day comes first: 03/04 is 3 April", { date_order: "day_first" }],
      ["The month comes first: 03/04 is 4 March", { date_order: "month_first" }],
    ],
  },
  decimal_sign: {
    question: "Dot or comma?",
    answers: [
      ["The dot parts the decimals: 1.250 is one and a quarter", { decimal_sign: "." }],
      ["The comma parts the decimals: 1.250 is a thousand and more", { decimal_sign: "," }],
    ],
  },
};

/** The same column at the other stations, in one line. */
export function ColumnHead({ i, c, kinds }: { i: Import; c: Column; kinds: Kind[] }) {
  const label = (placed(i).get(c.header) ?? []).map((s) => labelOf(kinds, saidName(kinds, s))).join(" + ");
  return (
    <div className="flex h-full flex-col justify-center px-2 leading-tight">
      <span dir="auto" className="truncate text-[12.5px] font-medium">
        {c.header}
      </span>
      <span className="truncate text-[11.5px] text-ink-faint">{label ? `→ ${label}` : "not placed"}</span>
    </div>
  );
}
