import type { Reading } from "../api/client";
import { useImportActs } from "../api/queries";
import { Choose, inputClass, Labelled, Wrong } from "../ui/parts";
import { count } from "../ui/verdict";
import { Section, type PanelProps } from "./panel";

const delimiters = [
  { value: ",", label: "comma" },
  { value: ";", label: "semicolon" },
  { value: "\t", label: "tab" },
  { value: "|", label: "bar" },
];
const encodings = [
  "utf-8",
  "windows-1252",
  "windows-1250",
  "windows-1251",
  "windows-1253",
  "iso-8859-1",
  "iso-8859-2",
  "iso-8859-7",
  "iso-8859-15",
  "utf-16le",
  "utf-16be",
  "shift_jis",
  "euc-jp",
].map((v) => ({ value: v, label: v }));
const auto = "detected";
const zones = Intl.supportedValuesOf("timeZone");

export function SourcePanel({ workspace, i }: PanelProps) {
  const acts = useImportActs(workspace, i.id);
  const r = i.reading ?? {};
  const found = (option: string) => i.findings?.find((f) => f.option === option);
  const listed = (option: string) => found(option)?.choices?.map((c) => ({ value: c, label: c }));
  const fixed = i.busy !== "" || !["open", "ready"].includes(i.state);
  const set = (part: Partial<Reading>) => acts.reading.mutate({ ...r, ...part });
  const choice = (label: string, key: keyof Reading, options: { value: string; label: string }[]) => {
    const f = found(key);
    const seen = options.find((o) => o.value === f?.value)?.label ?? f?.value;
    return (
      <Labelled label={label} hint={r[key] ? "set by hand" : f?.evidence}>
        <Choose
          label={label}
          disabled={fixed}
          value={String(r[key] ?? auto)}
          onChange={(v) => set({ [key]: v === auto ? undefined : v })}
          options={[{ value: auto, label: seen ? `${seen} (detected)` : "as the columns show" }, ...options]}
        />
      </Labelled>
    );
  };
  return (
    <>
      {i.trouble?.code && <Wrong className="m-3" error={Object.assign(new Error(i.trouble.message), {})} />}
      {i.trouble?.code && (
        <p className="px-4 pb-3 text-[12.5px] text-ink-soft">
          {[i.trouble.place?.row && `row ${i.trouble.place.row}`, i.trouble.place?.column && `column ${i.trouble.place.column}`]
            .filter(Boolean)
            .join(", ")}{" "}
          {i.trouble.mend}
        </p>
      )}
      <Section title="How it is read">
        <div className="space-y-2.5">
          {found("format") && found("format")?.value !== "delimited text" && (
            <p className="text-ink-soft">{found("format")?.value}</p>
          )}
          {listed("file") && choice("File in the archive", "file", listed("file") ?? [])}
          {listed("sheet") && choice("Sheet", "sheet", listed("sheet") ?? [])}
          {(found("delimiter") ?? r.delimiter) && choice("Delimiter", "delimiter", delimiters)}
          {(found("encoding") ?? r.encoding) && choice("Encoding", "encoding", encodings)}
          <Labelled label="Header row" hint={r.header_row ? "set by hand" : found("header_row")?.evidence}>
            <input
              key={`${r.header_row ?? ""}${i.changed_at}`}
              className={inputClass}
              inputMode="numeric"
              disabled={fixed}
              defaultValue={r.header_row ?? found("header_row")?.value}
              onBlur={(e) => {
                const n = Number(e.target.value);
                if (n > 0 && String(n) !== String(r.header_row ?? found("header_row")?.value)) set({ header_row: n });
              }}
            />
          </Labelled>
          <Labelled
            label="Last row"
            hint={r.last_row ? "set by hand" : "to the end; for several tables on a sheet, say where this one ends"}
          >
            <input
              key={`last ${r.last_row ?? ""}`}
              className={inputClass}
              inputMode="numeric"
              disabled={fixed}
              placeholder="the last"
              defaultValue={r.last_row || undefined}
              onBlur={(e) => {
                const n = Number(e.target.value);
                if (n >= 0 && n !== (r.last_row ?? 0)) set({ last_row: n || undefined });
              }}
            />
          </Labelled>
          {choice("Date order", "date_order", [
            { value: "day_first", label: "day first" },
            { value: "month_first", label: "month first" },
            { value: "year_first", label: "year first" },
          ])}
          {choice("Decimal sign", "decimal_sign", [
            { value: ".", label: "dot" },
            { value: ",", label: "comma" },
          ])}
          <Labelled label="Country of phone numbers" hint="for numbers without a country code, in rows without a country">
            <input
              key={r.country ?? ""}
              className={inputClass}
              maxLength={2}
              disabled={fixed}
              placeholder="such as NO"
              defaultValue={r.country}
              onBlur={(e) => {
                const v = e.target.value.toUpperCase();
                if (v !== (r.country ?? "")) set({ country: v });
              }}
            />
          </Labelled>
          <Labelled label="Time zone" hint="of times that name none; UTC when left out">
            <input
              key={`zone ${r.zone ?? ""}`}
              className={inputClass}
              list="zones"
              disabled={fixed}
              placeholder="such as Europe/Oslo"
              defaultValue={r.zone}
              onBlur={(e) => {
                const v = e.target.value.trim();
                if (v !== (r.zone ?? "")) set({ zone: v || undefined });
              }}
            />
            <datalist id="zones">
              {zones.map((z) => (
                <option key={z} value={z} />
              ))}
            </datalist>
          </Labelled>
          <Wrong error={acts.reading.error} />
        </div>
      </Section>
      <Section title="The file">
        <p className="break-words text-ink-soft">
          {i.file.name}, {count(Math.ceil(i.file.bytes / 1024))} KiB.{" "}
          <a className="text-act" href={`/api/v1/workspaces/${workspace}/imports/${i.id}/source`}>
            Download it
          </a>
        </p>
        {i.notices?.map((n, k) => (
          <p key={k} className="mt-1.5 rounded bg-ask-soft px-2 py-1 text-[12.5px]">
            {n.message}
            {n.column && `: ${n.column}`}
            {n.count ? ` (${count(n.count)} rows)` : ""}
            {n.row ? `, first in row ${n.row}` : ""}
          </p>
        ))}
      </Section>
    </>
  );
}
