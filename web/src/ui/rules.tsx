import { ArrowDown, ArrowUp, X } from "lucide-react";
import { useEffect, useState } from "react";
import type { MatchRule, RecordType } from "../api/client";
import { Button, Choose, cx, Dialog, inputClass, type Option } from "./parts";

const severals: Option<NonNullable<MatchRule["several"]>>[] = [
  { value: "ask", label: "several: ask" },
  { value: "hold", label: "several: hold" },
  { value: "skip", label: "several: leave out" },
  { value: "oldest", label: "several: oldest" },
  { value: "newest", label: "several: newest" },
  { value: "fullest", label: "several: fullest" },
];
const ones: Option<"take" | "ask">[] = [
  { value: "take", label: "one: take" },
  { value: "ask", label: "one: ask" },
];

const takeAt = 95;
const askAt = 40;

export function labelOf(t: RecordType | undefined, name: string): string {
  return name === "id" ? "record id" : (t?.fields.find((f) => f.name === name)?.label ?? name);
}

/** The rule in words, as far as its fields are placed. */
export function inWords(m: MatchRule, t: RecordType, there: (name: string) => boolean): string {
  const alike = (m.alike ?? []).filter(there).map((n) => labelOf(t, n));
  return [
    m.fields?.length ? `the same ${m.fields.map((n) => labelOf(t, n)).join(" and ")}` : "",
    alike.length ? `alike in ${alike.join(", ")}` : "",
  ]
    .filter(Boolean)
    .join(", and ");
}

/** Match rules in their order, to be changed, moved and taken out; placed says which fields rows have. */
export function RuleList(p: {
  t: RecordType;
  rules: MatchRule[];
  fixed: boolean;
  placed: (name: string) => boolean;
  onChange: (rules: MatchRule[]) => void;
}) {
  const { t, rules, fixed, placed, onChange } = p;
  const setRule = (n: number, part: Partial<MatchRule>) => onChange(rules.map((m, at) => (at === n ? { ...m, ...part } : m)));
  const move = (n: number, by: number) => {
    const list = [...rules];
    const [one] = list.splice(n, 1);
    if (one) list.splice(n + by, 0, one);
    onChange(list);
  };
  return (
    <ol className="space-y-2.5">
      {rules.map((m, n) => {
        const alike = (m.alike?.length ?? 0) > 0;
        const works = (m.fields ?? []).every(placed) && (!alike || m.alike?.some(placed));
        return (
          <li key={n} className={cx("rounded-md border border-line bg-raised px-2.5 py-2", !works && "text-ink-soft")}>
            <div className="flex items-start gap-1.5">
              <span className="figures w-4 shrink-0 text-right text-ink-faint">{n + 1}</span>
              <span className="min-w-0 flex-1">
                {inWords(m, t, works ? placed : () => true)}
                {!works && <span className="block text-[12px] text-ink-faint">Not in use: no column is placed on it.</span>}
              </span>
              {!fixed && (
                <span className="flex">
                  <IconButton label={`Rule ${n + 1} earlier`} disabled={n === 0} onClick={() => move(n, -1)}>
                    <ArrowUp size={13} />
                  </IconButton>
                  <IconButton label={`Rule ${n + 1} later`} disabled={n === rules.length - 1} onClick={() => move(n, 1)}>
                    <ArrowDown size={13} />
                  </IconButton>
                  <IconButton
                    label={`Take rule ${n + 1} out`}
                    disabled={rules.length === 1}
                    onClick={() => onChange(rules.filter((_, at) => at !== n))}
                  >
                    <X size={13} />
                  </IconButton>
                </span>
              )}
            </div>
            {works && alike && (
              <div className="mt-1.5 grid grid-cols-2 gap-2 pl-5.5 text-[12px]">
                <Bound
                  label="take at"
                  value={m.take_at ?? takeAt}
                  disabled={fixed}
                  onChange={(v) => setRule(n, { take_at: v })}
                />
                <Bound label="ask at" value={m.ask_at ?? askAt} disabled={fixed} onChange={(v) => setRule(n, { ask_at: v })} />
              </div>
            )}
            {works && m.fields?.[0] !== "id" && (
              <div className="mt-1.5 grid grid-cols-2 gap-2 pl-5.5">
                <Choose
                  label={`What a single find of rule ${n + 1} means`}
                  className="h-7! text-[12px]!"
                  disabled={fixed}
                  value={m.one ?? "take"}
                  options={ones}
                  onChange={(v) => setRule(n, { one: v })}
                />
                <Choose
                  label={`What several finds of rule ${n + 1} mean`}
                  className="h-7! text-[12px]!"
                  disabled={fixed}
                  value={m.several ?? "ask"}
                  options={severals}
                  onChange={(v) => setRule(n, { several: v })}
                />
              </div>
            )}
          </li>
        );
      })}
    </ol>
  );
}

function IconButton(p: { label: string; disabled?: boolean; onClick: () => void; children: React.ReactNode }) {
  return (
    <button
      type="button"
      aria-label={p.label}
      title={p.label}
      disabled={p.disabled}
      onClick={p.onClick}
      className="inline-flex size-6 items-center justify-center rounded text-ink-soft hover:bg-act-soft disabled:opacity-30"
    >
      {p.children}
    </button>
  );
}

/** A bound of likeness in percent; it counts when the field is left or Enter pressed. */
function Bound(p: { label: string; value: number; disabled: boolean; onChange: (v: number) => void }) {
  const [v, setV] = useState(String(p.value));
  useEffect(() => setV(String(p.value)), [p.value]);
  const done = () => {
    const n = Number(v.replace(",", "."));
    if (n >= 1 && n <= 100 && n !== p.value) p.onChange(n);
    else setV(String(p.value));
  };
  return (
    <label className="flex items-center gap-1.5 whitespace-nowrap text-ink-soft">
      {p.label}
      <input
        className={cx(inputClass, "figures h-7! w-12! text-right")}
        inputMode="decimal"
        disabled={p.disabled}
        value={v}
        onChange={(e) => setV(e.target.value)}
        onBlur={done}
        onKeyDown={(e) => e.key === "Enter" && done()}
      />
      %
    </label>
  );
}

/** A new rule: fields that must be equal, fields that must be alike. */
export function RuleDialog(p: {
  t: RecordType;
  placed: (name: string) => boolean;
  onClose: () => void;
  onAdd: (m: MatchRule) => void;
}) {
  const [how, setHow] = useState<Record<string, string>>({});
  const byType = ["email", "phone", "url"];
  const equal = Object.keys(how).filter((n) => how[n] === "same");
  const alike = Object.keys(how).filter((n) => how[n] === "alike");
  return (
    <Dialog
      open
      unsaved={Object.keys(how).length > 0}
      onClose={p.onClose}
      title="A rule by which rows find records"
      foot={
        <Button look="act" disabled={equal.length + alike.length === 0} onClick={() => p.onAdd({ fields: equal, alike })}>
          Add it at the end
        </Button>
      }
    >
      <p className="mb-2 text-ink-soft">
        Fields that must be the same are looked up; fields that must be alike are weighed, and the weight decides. What fields
        that do not tell records apart find is asked, not taken.
      </p>
      <table className="w-full">
        <tbody>
          {p.t.fields
            .filter((f) => !f.retired && p.placed(f.name))
            .map((f) => {
              const options = [{ value: "no", label: "–" }];
              options.push({ value: "same", label: "the same" });
              if (f.likeness || byType.includes(f.type)) options.push({ value: "alike", label: "alike" });
              return (
                <tr key={f.name} className="border-b border-line last:border-0">
                  <td className="py-1">{f.label}</td>
                  <td className="w-36 py-1">
                    <Choose
                      label={`How ${f.label} is compared`}
                      value={how[f.name] ?? "no"}
                      options={options}
                      onChange={(v) => setHow({ ...how, [f.name]: v })}
                    />
                  </td>
                </tr>
              );
            })}
        </tbody>
      </table>
    </Dialog>
  );
}
