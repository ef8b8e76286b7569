import { useMutation, useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useState } from "react";
import { api, must, type Feed, type FeedBounds, type FeedPart, type FeedSetUp } from "../api/client";
import { Button, Choose, Dialog, inputClass, Labelled, Ticked, Wrong } from "./parts";

const usual: FeedBounds = { held: "5 %", deleted: "0", touched: "25 %", size: "50 %", other_columns: true };

const kinds: { value: FeedSetUp["place"]["kind"]; label: string }[] = [
  { value: "sftp", label: "a folder on a host, by SFTP" },
  { value: "folder", label: "a folder on the service's machine" },
  { value: "https", label: "an address" },
  { value: "sent", label: "sent by other programs" },
];

const limits: { name: "held" | "new" | "changed" | "deleted" | "touched" | "size"; label: string }[] = [
  { name: "held", label: "Held or asking, at most" },
  { name: "new", label: "New, at most" },
  { name: "changed", label: "Changed, at most" },
  { name: "deleted", label: "Deleted, at most" },
  { name: "touched", label: "Of all records, at most" },
  { name: "size", label: "Rows more or fewer" },
];

/** Makes a feed, or sets one up anew. */
export function FeedForm(p: { workspace: string; feed?: Feed; onClose: () => void; onSaved: (f: Feed) => void }) {
  const [name, setName] = useState(p.feed?.name ?? "");
  const [secret, setSecret] = useState("");
  const [s, setS] = useState<FeedSetUp>(
    p.feed?.set_up ?? { routine: "", place: { kind: "sftp" }, cron: "0 6 * * 1-5", zone: here(), bounds: usual },
  );
  const routines = useQuery({
    queryKey: ["routines", p.workspace],
    queryFn: () => must(api.GET("/workspaces/{workspace}/routines", { params: { path: { workspace: p.workspace } } })),
  });
  const save = useMutation({
    mutationFn: () =>
      must(
        api.PUT("/workspaces/{workspace}/feeds/{feed}", {
          params: {
            path: { workspace: p.workspace, feed: name.trim() },
            ...(p.feed ? { header: { "If-Match": `"${p.feed.version}"` } } : {}),
          },
          body: { set_up: { ...s, routine: s.routine || (names[0] ?? "") }, ...(secret ? { secret } : {}) },
        }),
      ),
    onSuccess: p.onSaved,
  });
  const names = (routines.data?.routines ?? []).map((r) => r.name);
  const place = (change: Partial<FeedSetUp["place"]>) => setS({ ...s, place: { ...s.place, ...change } });
  const bound = (change: Partial<FeedBounds>) => setS({ ...s, bounds: { ...s.bounds, ...change } });
  const kind = s.place.kind;
  const then = s.then ?? [];
  const setThen = (n: number, part?: FeedPart) => {
    const list = part ? [...then.slice(0, n), part, ...then.slice(n + 1)] : then.filter((_, at) => at !== n);
    setS({ ...s, then: list, set: list.length > 0 && (s.set ?? false) });
  };
  const text = (label: string, value: string | undefined, set: (v: string) => void, hint?: string) => (
    <Labelled label={label} hint={hint}>
      <input className={inputClass} value={value ?? ""} onChange={(e) => set(e.target.value)} />
    </Labelled>
  );
  return (
    <Dialog
      open
      wide
      onClose={p.onClose}
      title={p.feed ? `Set up ${p.feed.name}` : "Add a feed"}
      foot={
        <Button look="act" disabled={!name.trim() || save.isPending} onClick={() => save.mutate()}>
          {p.feed ? "Set it up so" : "Add the feed"}
        </Button>
      }
    >
      <div className="grid grid-cols-2 gap-x-4 gap-y-3 max-[700px]:grid-cols-1">
        {!p.feed && text("Name", name, setName)}
        <div>
          <span className="mb-1 block text-[12px] font-medium text-ink-soft">Set up by the routine</span>
          <Choose
            label="Routine"
            value={s.routine || (names[0] ?? "")}
            onChange={(routine) => setS({ ...s, routine })}
            options={names.map((v) => ({ value: v, label: v }))}
          />
        </div>
        <div>
          <span className="mb-1 block text-[12px] font-medium text-ink-soft">Files come from</span>
          <Choose label="Files come from" value={kind} onChange={(k) => setS({ ...s, place: { kind: k } })} options={kinds} />
        </div>
        {kind === "folder" && text("Folder", s.place.folder, (folder) => place({ folder }))}
        {kind === "sftp" && (
          <>
            {text("Host", s.place.host, (host) => place({ host }))}
            {text("Port", s.place.port ? String(s.place.port) : "", (v) => place({ port: Number(v) || 0 }), "22 when left out")}
            {text("User", s.place.user, (user) => place({ user }))}
            {text("Folder on the host", s.place.folder, (folder) => place({ folder }))}
          </>
        )}
        {kind === "https" && text("Address", s.place.url, (url) => place({ url }))}
        {(kind === "sftp" || kind === "https") && (
          <Labelled
            label={kind === "sftp" ? "Password or private key" : "user:password, or a token"}
            hint={p.feed?.has_secret ? "Left blank, the one that is kept stays." : "It is kept encrypted, and never shown again."}
          >
            <textarea
              className={`${inputClass} h-16! py-1.5 font-mono text-[12px]`}
              autoComplete="off"
              spellCheck={false}
              value={secret}
              onChange={(e) => setSecret(e.target.value)}
            />
          </Labelled>
        )}
        {kind !== "https" && text("Names of files", s.files, (files) => setS({ ...s, files }), "With * and ?; all when blank.")}
        {kind !== "https" && (
          <div className="col-span-full space-y-2">
            {then.map((part, n) => (
              <div key={n} className="flex items-end gap-2">
                <div className="flex-1">
                  {text(`Then files called (${n + 1})`, part.files, (files) => setThen(n, { ...part, files }))}
                </div>
                <div className="flex-1">
                  <span className="mb-1 block text-[12px] font-medium text-ink-soft">by the routine</span>
                  <Choose
                    label={`Routine of further files, ${n + 1}`}
                    value={part.routine}
                    onChange={(routine) => setThen(n, { ...part, routine })}
                    options={names.map((v) => ({ value: v, label: v }))}
                  />
                </div>
                <Button look="quiet" aria-label={`Take further files ${n + 1} out`} onClick={() => setThen(n)}>
                  <X size={14} aria-hidden />
                </Button>
              </div>
            ))}
            <div className="flex flex-wrap items-center gap-4">
              <Button onClick={() => setThen(then.length, { files: "", routine: names[0] ?? "" })}>Then further files…</Button>
              {then.length > 0 && (
                <Ticked
                  label="They are a set: taken when one of each is there"
                  on={s.set ?? false}
                  onChange={(set) => setS({ ...s, set })}
                />
              )}
            </div>
          </div>
        )}
        {kind !== "sent" && (
          <>
            {text(
              "When",
              s.cron,
              (cron) => setS({ ...s, cron }),
              "Minute, hour, day of month, month, day of week: 0 6 * * 1-5 is six o'clock on weekdays.",
            )}
            {text("Time zone", s.zone, (zone) => setS({ ...s, zone }), "Such as Europe/Oslo.")}
          </>
        )}
        {(kind === "folder" || kind === "sftp") && (
          <>
            {text(
              "A file is whole when there is one called as it is, and",
              s.mark,
              (mark) => setS({ ...s, mark }),
              "Such as .done; blank: when it has not grown for five seconds.",
            )}
            <div className="space-y-1.5 self-end pb-1">
              <Ticked
                label="Only the newest of those that are new"
                on={s.newest ?? false}
                onChange={(newest) => setS({ ...s, newest })}
              />
              <Ticked
                label="Move files that were loaded into a folder"
                on={s.after === "move"}
                onChange={(on) => setS({ ...s, after: on ? "move" : "leave" })}
              />
            </div>
          </>
        )}
      </div>
      <h3 className="mt-4 mb-2 text-[14px] font-semibold">Loaded without a person within these bounds</h3>
      <div className="grid grid-cols-3 gap-x-4 gap-y-3 max-[700px]:grid-cols-1">
        {limits.map((l) => (
          <div key={l.name}>{text(l.label, s.bounds?.[l.name], (v) => bound({ [l.name]: v }))}</div>
        ))}
      </div>
      <p className="mt-1 text-[12px] text-ink-soft">A number of rows such as 20, or a share such as 5 %; blank limits nothing.</p>
      <div className="mt-2 space-y-1.5">
        <Ticked
          label="Columns that the routine takes may be missing"
          on={s.bounds?.without_some ?? false}
          onChange={(v) => bound({ without_some: v })}
        />
        <Ticked
          label="Words of choices may be new"
          on={s.bounds?.any_values ?? false}
          onChange={(v) => bound({ any_values: v })}
        />
        <Ticked
          label="Columns that the routine does not know may come"
          on={s.bounds?.other_columns ?? false}
          onChange={(v) => bound({ other_columns: v })}
        />
      </div>
      <Wrong error={save.error ?? routines.error} className="mt-3" />
    </Dialog>
  );
}

/** The time zone of the browser. */
function here(): string {
  return Intl.DateTimeFormat().resolvedOptions().timeZone;
}
