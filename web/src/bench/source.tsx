import { useId } from "react";
import { Link } from "react-router";
import type { Reading } from "../api/client";
import { act, useImportActs } from "../api/queries";
import { Button, Choose, inputClass, Labelled, Ticked, Wrong } from "../ui/parts";
import { Pace } from "../ui/progress";
import { count, size } from "../ui/verdict";
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
  "windows-1254",
  "windows-1257",
  "macintosh",
  "ibm850",
  "ibm852",
  "utf-16le",
  "utf-16be",
  "shift_jis",
  "euc-jp",
].map((v) => ({ value: v, label: v }));
const none = { value: "none", label: "none" };
const quotes = [{ value: '"', label: 'double quote "' }, { value: "'", label: "single quote '" }, none];
const escapes = [{ value: "\\", label: "backslash \\" }, none];
const comments = [
  { value: "#", label: "begin with #" },
  { value: "%", label: "begin with %" },
  { value: "!", label: "begin with !" },
  none,
];
/** What holds where nothing was found and nothing is set. */
const unseen: Partial<Record<keyof Reading, string>> = {
  quote: 'double quote "',
  escape: "none",
  comment: "none",
  misread: "hold it",
  asides: "leave them out",
  hidden: "read it like the rest",
  merged: "read a text in each of their rows",
};
/** Notices about rows that are left out, or doubted, because they seem to be no records. */
const asides = ["units_row", "header_again", "totals_row", "page_line", "note_line", "another_table", "lone_cells"];
const auto = "detected";
const zones = Intl.supportedValuesOf("timeZone");

export function SourcePanel({ workspace, i }: PanelProps) {
  const acts = useImportActs(workspace, i.id);
  const r = i.reading ?? {};
  const found = (option: string) => i.findings?.find((f) => f.option === option);
  const listed = (option: string) => found(option)?.choices?.map((c) => ({ value: c, label: c }));
  const changing = act(i, "change_reading");
  const fixed = !changing.can;
  const set = (part: Partial<Reading>) => acts.reading.mutate({ ...r, ...part });
  const headless = r.no_header ?? (!r.header_row && found("no_header") !== undefined);
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
          options={[{ value: auto, label: seen ? `${seen} (detected)` : (unseen[key] ?? "as the columns show") }, ...options]}
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
      {i.busy === "read" && (
        <div className="flex items-center gap-3 border-b border-line px-4 py-3">
          <Pace done={i.done} of={0} running />
          <Button disabled={i.cancelling} onClick={() => acts.cancel.mutate()}>
            {i.cancelling ? "Cancelling…" : "Cancel"}
          </Button>
        </div>
      )}
      {!!i.notices?.length && (
        <Section title="What was noticed">
          {i.notices.map((n, k) => (
            <p key={k} className="mt-1.5 rounded bg-ask-soft px-2 py-1 text-[12.5px]">
              {n.message}
              {n.column && `: ${n.column}`}
              {n.count ? ` (${count(n.count)} ${n.count === 1 ? "row" : "rows"})` : ""}
              {n.row ? `, first in row ${n.row}` : ""}
              {n.code === "another_table" && i.below && (
                <>
                  . It is read by{" "}
                  <Link className="text-act underline" to={`/w/${workspace}/imports/${i.below}/source`}>
                    import {i.below}
                  </Link>
                </>
              )}
            </p>
          ))}
        </Section>
      )}
      <Section title="How it is read">
        {fixed && i.busy === "" && <p className="mb-2 text-ink-soft">{changing.why}</p>}
        {i.written && (
          <p className="mb-2 text-ink-soft">
            Rows were loaded, so which rows there are stays. How cells are understood can still change.
          </p>
        )}
        <div className="space-y-2.5">
          {found("format") && found("format")?.value !== "delimited text" && (
            <p className="text-ink-soft">{found("format")?.value}</p>
          )}
          {listed("file") && choice("File in the archive", "file", listed("file") ?? [])}
          {listed("sheet") && choice("Sheet", "sheet", listed("sheet") ?? [])}
          {(found("delimiter") ?? r.delimiter) && choice("Delimiter", "delimiter", delimiters)}
          {(found("encoding") ?? r.encoding) && choice("Encoding", "encoding", encodings)}
          {(i.notices?.some((n) => asides.includes(n.code)) || r.asides) &&
            choice("Rows that are no records", "asides", [
              { value: "leave_out", label: "leave them out" },
              { value: "read", label: "read them like the others" },
            ])}
          {(i.notices?.some((n) => n.code === "hidden_rows" || n.code === "hidden_columns") || r.hidden) &&
            choice("What is hidden in the sheet", "hidden", [
              { value: "read", label: "read it like the rest" },
              { value: "leave_out", label: "leave it out" },
            ])}
          {(i.notices?.some((n) => n.code === "merged_cells") || r.merged) &&
            choice("What merged cells say", "merged", [
              { value: "repeat", label: "read a text in each of their rows" },
              { value: "first", label: "read it in the first row alone" },
            ])}
          {(i.notices?.some((n) => n.code === "misread_text") || r.misread) &&
            choice("Text decoded wrongly before (Ã¼ for ü)", "misread", [
              { value: "hold", label: "hold it" },
              { value: "mend", label: "read it as it was meant" },
            ])}
          {(i.notices?.some((n) => n.code === "on_its_side") || r.turned) && (
            <Ticked
              label="The sheet lies on its side: each of its columns is a record"
              disabled={fixed}
              on={r.turned ?? false}
              onChange={(on) =>
                set({
                  turned: on || undefined,
                  header_row: undefined,
                  no_header: undefined,
                  first_row: undefined,
                  last_row: undefined,
                  columns: undefined,
                })
              }
            />
          )}
          <Ticked
            label="There is no header row; the columns are called A, B, C"
            disabled={fixed}
            on={headless}
            onChange={(no) => set({ no_header: no || undefined, header_row: undefined, first_row: undefined })}
          />
          {!headless && (
            <Written
              label="Header row"
              hint={r.header_row ? "set by hand" : found("header_row")?.evidence}
              figures
              disabled={fixed}
              value={String(r.header_row || (found("header_row")?.value ?? ""))}
              onSet={(v) => Number(v) > 0 && set({ header_row: Number(v) })}
            />
          )}
          <Written
            label="First row of data"
            hint={r.first_row ? "set by hand" : headless ? found("no_header")?.evidence : "the one below the header"}
            figures
            placeholder={headless ? "the first" : "below the header"}
            disabled={fixed}
            value={r.first_row ? String(r.first_row) : ""}
            onSet={(v) => Number(v) >= 0 && set({ first_row: Number(v) || undefined })}
          />
          <Written
            label="Last row"
            hint={r.last_row ? "set by hand" : "to the end; for several tables on a sheet, say where this one ends"}
            figures
            placeholder="the last"
            disabled={fixed}
            value={r.last_row ? String(r.last_row) : ""}
            onSet={(v) => Number(v) >= 0 && set({ last_row: Number(v) || undefined })}
          />
          {!found("format")?.value.startsWith("JSON") && (
            <Written
              label="Columns"
              hint={r.columns ? "set by hand" : "all; where two tables stand side by side, say which are of this one"}
              placeholder="such as A:D"
              disabled={fixed}
              value={r.columns ?? ""}
              onSet={(v) => set({ columns: v.trim() || undefined })}
            />
          )}
          {choice("Date order", "date_order", [
            { value: "day_first", label: "day first" },
            { value: "month_first", label: "month first" },
            { value: "year_first", label: "year first" },
          ])}
          {choice("Decimal sign", "decimal_sign", [
            { value: ".", label: "dot" },
            { value: ",", label: "comma" },
          ])}
          <Written
            label="Country of phone numbers"
            hint="for numbers without a country code, in rows without a country"
            placeholder="such as NO"
            disabled={fixed}
            value={r.country ?? ""}
            onSet={(v) => set({ country: v.toUpperCase() || undefined })}
          />
          <Written
            label="Time zone"
            hint="of times that name none; UTC when left out"
            placeholder="such as Europe/Oslo"
            offers={zones}
            disabled={fixed}
            value={r.zone ?? ""}
            onSet={(v) => set({ zone: v || undefined })}
          />
          {(found("delimiter") ?? r.delimiter) && (
            <>
              {choice("Quote around cells", "quote", quotes)}
              {choice("Sign before a quote that is meant", "escape", escapes)}
              {choice("Lines that are comments", "comment", comments)}
            </>
          )}
          <Wrong error={acts.reading.error} />
        </div>
      </Section>
      <Section title="The file">
        <p className="break-words text-ink-soft">
          {i.file.name}, {size(i.file.bytes)}.{" "}
          <a className="text-act" href={`/api/v1/workspaces/${workspace}/imports/${i.id}/source`}>
            Download it
          </a>
        </p>
      </Section>
    </>
  );
}

/** A reading option that is typed; it counts when the field is left with another text in it. */
function Written(p: {
  label: string;
  hint: string | undefined;
  value: string;
  placeholder?: string;
  figures?: boolean;
  offers?: string[];
  disabled: boolean;
  onSet: (v: string) => void;
}) {
  const list = useId();
  return (
    <Labelled label={p.label} hint={p.hint}>
      <input
        key={p.value}
        className={inputClass}
        inputMode={p.figures ? "numeric" : "text"}
        list={p.offers && list}
        disabled={p.disabled}
        placeholder={p.placeholder}
        defaultValue={p.value}
        onBlur={(e) => {
          const v = e.target.value.trim();
          if (v !== p.value) p.onSet(v);
        }}
      />
      {p.offers && (
        <datalist id={list}>
          {p.offers.map((o) => (
            <option key={o} value={o} />
          ))}
        </datalist>
      )}
    </Labelled>
  );
}
