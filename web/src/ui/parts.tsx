import { Dialog as D, DropdownMenu as M, Select as S, Tabs as B, Tooltip as T } from "radix-ui";
import { Check, ChevronDown, CircleAlert, X } from "lucide-react";
import { createContext, useContext, useLayoutEffect, useRef, useState, type ButtonHTMLAttributes, type ReactNode } from "react";
import { Fault } from "../api/client";
import { nonce } from "./nonce";

/** Joins class names, leaving out what is off. */
export function cx(...names: (string | false | undefined)[]): string {
  return names.filter(Boolean).join(" ");
}

type Look = "act" | "plain" | "quiet" | "ask";

const looks: Record<Look, string> = {
  act: "bg-act text-act-ink border-act hover:brightness-110",
  plain: "bg-raised border-line-strong text-ink hover:border-act hover:text-act",
  quiet: "border-transparent text-ink-soft hover:bg-act-soft hover:text-ink",
  ask: "bg-ask-soft border-ask text-ask hover:brightness-95",
};

export function Button({ look = "plain", className, ...rest }: ButtonHTMLAttributes<HTMLButtonElement> & { look?: Look }) {
  return (
    <button
      type="button"
      {...rest}
      className={cx(
        "inline-flex h-8 items-center gap-1.5 rounded-md border px-3 text-[13px] font-medium whitespace-nowrap disabled:cursor-not-allowed disabled:opacity-50",
        looks[look],
        className,
      )}
    />
  );
}

export const inputClass =
  "h-8 w-full rounded-md border border-line-strong bg-raised px-2.5 text-[13px] text-ink focus-visible:outline-offset-0 disabled:opacity-60";

export function Labelled({ label, hint, children }: { label: string; hint?: ReactNode; children: ReactNode }) {
  return (
    <label className="block">
      <span className="mb-1 block text-[12px] font-medium text-ink-soft">{label}</span>
      {children}
      {hint && <span className="mt-1 block text-[12px] text-ink-faint">{hint}</span>}
    </label>
  );
}

/** A password: the present one of somebody, or a new one. */
export function Password(p: {
  label: string;
  hint?: ReactNode;
  value: string;
  onChange: (v: string) => void;
  fresh?: boolean;
  name?: string;
  required?: boolean;
  autoFocus?: boolean;
}) {
  return (
    <Labelled label={p.label} hint={p.hint}>
      <input
        className={inputClass}
        type="password"
        name={p.name}
        autoComplete={p.fresh ? "new-password" : "current-password"}
        required={p.required}
        autoFocus={p.autoFocus}
        value={p.value}
        onChange={(e) => p.onChange(e.target.value)}
      />
    </Labelled>
  );
}

/** Something that is so or not. */
export function Ticked(p: { label: ReactNode; on: boolean; onChange: (on: boolean) => void; disabled?: boolean }) {
  return (
    <label className="flex items-start gap-2 text-[13px]">
      <input
        type="checkbox"
        className="mt-0.5 size-4 shrink-0 accent-act disabled:opacity-60"
        checked={p.on}
        disabled={p.disabled}
        onChange={(e) => p.onChange(e.target.checked)}
      />
      <span>{p.label}</span>
    </label>
  );
}

export function Tip({ text, children }: { text: ReactNode; children: ReactNode }) {
  return (
    <T.Root delayDuration={300}>
      <T.Trigger asChild>{children}</T.Trigger>
      <T.Portal>
        <T.Content sideOffset={4} className="z-50 max-w-80 rounded-md bg-ink px-2.5 py-1.5 text-[12px] text-paper shadow-pop">
          {text}
        </T.Content>
      </T.Portal>
    </T.Root>
  );
}

export interface Option<T extends string = string> {
  value: T;
  label: string;
}

/** One of several, each a word of its own type. */
export function Choose<T extends string>(p: {
  label: string;
  value: T | "";
  options: Option<T>[];
  onChange: (v: T) => void;
  disabled?: boolean;
  className?: string;
  placeholder?: string;
  /** Where it is opened from elsewhere: whether it is open, and where the focus goes when it closes. */
  from?: { open: boolean; onOpen: (on: boolean) => void; back: () => void };
}) {
  const { from } = p;
  return (
    <S.Root
      value={p.value}
      onValueChange={(v) => p.onChange(v as T)}
      disabled={p.disabled ?? false}
      {...(from ? { open: from.open, onOpenChange: from.onOpen } : {})}
    >
      <S.Trigger
        aria-label={p.label}
        className={cx(inputClass, "inline-flex items-center justify-between gap-2 text-left", p.className)}
      >
        <span className="truncate">
          <S.Value placeholder={p.placeholder ?? "Choose…"} />
        </span>
        <ChevronDown size={14} aria-hidden />
      </S.Trigger>
      <S.Portal>
        <S.Content
          position="popper"
          sideOffset={3}
          onCloseAutoFocus={(e) => {
            if (!from) return;
            e.preventDefault();
            from.back();
          }}
          className="z-50 max-h-80 min-w-(--radix-select-trigger-width) overflow-auto rounded-md border border-line bg-raised p-1 shadow-pop"
        >
          <S.Viewport nonce={nonce}>
            {p.options.map((o) => (
              <S.Item
                key={o.value}
                value={o.value}
                className="flex items-center gap-2 rounded px-2 py-1.5 text-[13px] data-[highlighted]:bg-act-soft data-[highlighted]:outline-none"
              >
                <span className="w-4">
                  <S.ItemIndicator>
                    <Check size={14} />
                  </S.ItemIndicator>
                </span>
                <S.ItemText>{o.label}</S.ItemText>
              </S.Item>
            ))}
          </S.Viewport>
        </S.Content>
      </S.Portal>
    </S.Root>
  );
}

export function Dialog(p: {
  open: boolean;
  onClose: () => void;
  title: string;
  children: ReactNode;
  foot?: ReactNode;
  wide?: boolean;
  /** It cannot be closed but by what it asks for. */
  fixed?: boolean;
  /** What is typed in it would be lost: closing it asks first. */
  unsaved?: boolean;
}) {
  const [leaving, setLeaving] = useState(false);
  const before = useRef<Element | null>(null);
  useLayoutEffect(() => {
    if (p.open) before.current = document.activeElement;
  }, [p.open]);
  const close = () => {
    if (p.fixed) return;
    if (p.unsaved && !leaving) setLeaving(true);
    else p.onClose();
  };
  return (
    <D.Root open={p.open} onOpenChange={(o) => !o && close()}>
      <D.Portal>
        <D.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <D.Content
          aria-describedby={undefined}
          onEscapeKeyDown={(e) => {
            // A list of completions that is open is what Escape closes.
            const at = document.activeElement;
            if (at?.getAttribute("role") === "combobox" && at.getAttribute("aria-expanded") === "true") e.preventDefault();
          }}
          onCloseAutoFocus={(e) => {
            // Back to what opened it, also when that was a menu that is gone.
            e.preventDefault();
            const to = before.current;
            if (to instanceof HTMLElement && to.isConnected && to !== document.body) to.focus();
            else document.querySelector<HTMLElement>("main")?.focus();
          }}
          className={cx(
            "fixed top-1/2 left-1/2 z-40 flex max-h-[86vh] w-[92vw] -translate-x-1/2 -translate-y-1/2 flex-col rounded-lg border border-line bg-sheet shadow-pop",
            p.wide ? "max-w-3xl" : "max-w-lg",
          )}
        >
          <header className="flex items-center justify-between border-b border-line px-5 py-3">
            <D.Title className="text-[17px]">{p.title}</D.Title>
            {!p.fixed && (
              <D.Close aria-label="Close" className="rounded p-1 text-ink-soft hover:bg-act-soft">
                <X size={16} />
              </D.Close>
            )}
          </header>
          <div className="min-h-0 flex-1 overflow-auto px-5 py-4">{p.children}</div>
          {leaving && p.unsaved && (
            <div role="alert" className="flex items-center gap-2 border-t border-ask bg-ask-soft px-5 py-2.5">
              <span className="mr-auto">What you typed here is not kept yet.</span>
              <Button onClick={() => setLeaving(false)}>Go on with it</Button>
              <Button look="ask" onClick={p.onClose}>
                Leave it
              </Button>
            </div>
          )}
          {p.foot && <footer className="flex justify-end gap-2 border-t border-line px-5 py-3">{p.foot}</footer>}
        </D.Content>
      </D.Portal>
    </D.Root>
  );
}

/** Asks before something that cannot be taken back, or where only a person can tell. */
export function Confirm(p: {
  open: boolean;
  title: string;
  yes: string;
  no?: string;
  look?: Look;
  /** It takes an answer: closing it is none. */
  fixed?: boolean;
  onYes: () => void;
  onNo: () => void;
  children: ReactNode;
}) {
  return (
    <Dialog
      open={p.open}
      fixed={p.fixed ?? false}
      onClose={p.onNo}
      title={p.title}
      foot={
        <>
          <Button onClick={p.onNo}>{p.no ?? "Not now"}</Button>
          <Button look={p.look ?? "act"} onClick={p.onYes}>
            {p.yes}
          </Button>
        </>
      }
    >
      {p.children}
    </Dialog>
  );
}

/** What is done once a menu has gone, in the place of giving the focus back. */
const Afterwards = createContext<{ current: (() => void) | undefined }>({ current: undefined });

export function Menu({ trigger, children }: { trigger: ReactNode; children: ReactNode }) {
  const afterwards = useRef<() => void>(undefined);
  return (
    <M.Root>
      <M.Trigger asChild>{trigger}</M.Trigger>
      <M.Portal>
        <M.Content
          sideOffset={4}
          align="end"
          onCloseAutoFocus={(e) => {
            if (!afterwards.current) return;
            e.preventDefault();
            afterwards.current();
            afterwards.current = undefined;
          }}
          className="z-50 min-w-48 rounded-md border border-line bg-raised p-1 shadow-pop"
        >
          <Afterwards value={afterwards}>{children}</Afterwards>
        </M.Content>
      </M.Portal>
    </M.Root>
  );
}

export function MenuItem({
  children,
  onSelect,
  leads,
  disabled,
  why,
}: {
  children: ReactNode;
  onSelect: () => void;
  /** It takes the focus elsewhere, so it is done once the menu has gone. */
  leads?: boolean;
  disabled?: boolean;
  why?: string;
}) {
  const afterwards = useContext(Afterwards);
  return (
    <M.Item
      disabled={disabled ?? false}
      title={disabled ? why : undefined}
      onSelect={() => {
        if (leads) afterwards.current = onSelect;
        else onSelect();
      }}
      className="flex cursor-pointer items-center gap-2 rounded px-2.5 py-1.5 text-[13px] data-[disabled]:opacity-50 data-[highlighted]:bg-act-soft data-[highlighted]:outline-none"
    >
      {children}
    </M.Item>
  );
}

/** Parts of which one is shown; the arrow keys go from one to the next. */
export function Tabs(p: {
  label: string;
  value: string;
  onChange: (v: string) => void;
  options: Option[];
  /** Round ones beside each other, for a choice within a panel. */
  small?: boolean;
  children?: ReactNode;
}) {
  return (
    <B.Root value={p.value} onValueChange={p.onChange} className="flex min-h-0 flex-1 flex-col">
      <B.List aria-label={p.label} className={cx("flex border-b border-line", p.small && "flex-wrap gap-1 px-4 py-2")}>
        {p.options.map((o) => (
          <B.Trigger
            key={o.value}
            value={o.value}
            className={cx(
              p.small
                ? "rounded-full border border-line-strong px-2.5 py-0.5 data-[state=active]:border-act data-[state=active]:bg-act-soft data-[state=active]:font-medium"
                : "flex-1 px-3 py-1.5 text-[13px] text-ink-soft hover:bg-act-soft data-[state=active]:font-medium data-[state=active]:text-ink data-[state=active]:shadow-[inset_0_-2px_0_var(--act)]",
            )}
          >
            {o.label}
          </B.Trigger>
        ))}
      </B.List>
      {p.options.map((o) => (
        <B.Content
          key={o.value}
          value={o.value}
          tabIndex={-1}
          className={cx("min-h-0 flex-1 overflow-auto", o.value !== p.value && "hidden")}
        >
          {o.value === p.value && p.children}
        </B.Content>
      ))}
    </B.Root>
  );
}

/** A line between the items of a menu. */
export function MenuLine() {
  return <M.Separator className="my-1 h-px bg-line" />;
}

/** Says what went wrong, where, and what would mend it. */
export function Wrong({ error, className }: { error: unknown; className?: string }) {
  if (!error) return null;
  const p = error instanceof Fault ? error.problem : undefined;
  const place = p?.place;
  const where = [
    place?.file,
    place?.sheet,
    place?.row && `row ${place.row}`,
    place?.column && `column ${place.column}`,
    place?.path,
  ]
    .filter(Boolean)
    .join(", ");
  return (
    <div role="alert" className={cx("flex gap-2.5 rounded-md border border-ask bg-ask-soft px-3 py-2 text-[13px]", className)}>
      <CircleAlert size={16} className="mt-0.5 shrink-0 text-ask" aria-hidden />
      <div className="min-w-0 break-words">
        <div className="font-medium">{p?.title ?? (error instanceof Error ? error.message : String(error))}</div>
        {where && <div className="text-ink-soft">Where: {where}</div>}
        {p?.value && <div className="text-ink-soft">Value: “{p.value}”</div>}
        {p?.mend && <div>{p.mend}</div>}
      </div>
    </div>
  );
}

/** A table of few rows under its headers; a wide one is as wide as its cells. */
export function Table({ head, wide, children }: { head: string[]; wide?: boolean; children: ReactNode }) {
  return (
    <table className={cx("w-full", wide && "min-w-max")}>
      <thead>
        <tr className="border-b border-line">
          {head.map((h, n) => (
            <th key={n} scope="col" className={thClass}>
              {h}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>{children}</tbody>
    </table>
  );
}

export function Loading({ what }: { what: string }) {
  return (
    <div role="status" className="p-6 text-ink-faint">
      Fetching {what}…
    </div>
  );
}

export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="px-6 py-10 text-center">
      <div className="font-head text-[16px]">{title}</div>
      <div className="mx-auto mt-1 max-w-md text-ink-soft">{children}</div>
    </div>
  );
}

export function Panel({
  title,
  aside,
  children,
  className,
}: {
  title?: ReactNode;
  aside?: ReactNode;
  children: ReactNode;
  className?: string;
}) {
  return (
    <section className={cx("min-w-0 overflow-x-auto rounded-lg border border-line bg-sheet", className)}>
      {title && (
        <header className="flex items-center justify-between border-b border-line px-4 py-2.5">
          <h2 className="text-[15px]">{title}</h2>
          {aside}
        </header>
      )}
      {children}
    </section>
  );
}

export const thClass = "px-3 py-2 text-left text-[12px] font-medium text-ink-soft whitespace-nowrap";
export const tdClass = "px-3 py-2 align-top";
/** The cell of a row's buttons, which stand on the line of its texts. */
export const actsClass = "px-3 py-0.5 text-right align-top";
