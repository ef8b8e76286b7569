import { Fault, type Import, type Routine } from "../api/client";
import { applied, changesBetween, contradicted, madeOn, reversed, type Change } from "./changes";
import { routineOf } from "./mapping";

/** A named edit of a routine. */
interface Edit {
  what: string;
  changes: Change[];
  undoes: "edit" | "undo" | "redo";
  end: (error?: unknown) => void;
}

/** How it stands with what was edited. */
export interface Edited {
  routine: Routine;
  state: "saved" | "saving" | "waiting" | "asks";
  undo?: string; // what would be taken back
  redo?: string;
  asks?: string; // the edit that somebody else's contradicts
  error?: unknown; // why the last edit was refused
}

/** How the edits reach the service. */
export interface Wire {
  save: (r: Routine, version: number) => Promise<Import>;
  fetch: () => Promise<Import>;
  saved: (i: Import) => void;
}

/** Answers after which the same may be sent again: none, not signed in, too often, not there now. */
const passing = [0, 401, 429, 502, 503, 504];
const firstWait = 1_000;
const longestWait = 15_000;

/**
 * The routine of an import while it is edited. An edit counts on the screen at
 * once; edits go to the service one after another, each with the version that
 * it was made on. When somebody else was faster, they are made again on what is
 * there then; where both changed the same, the person is asked. While the
 * service does not answer nothing is lost: the edits wait.
 */
export class Editing {
  private base: Routine;
  private version: number;
  private queue: Edit[] = [];
  private past: Edit[] = [];
  private future: Edit[] = [];
  private busy = false;
  private asking = false;
  private wait = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private error: unknown;
  private listeners = new Set<() => void>();
  private shown: Edited;

  constructor(
    i: Import,
    private readonly wire: Wire,
  ) {
    this.base = routineOf(i);
    this.version = i.routine_version ?? 0;
    this.shown = this.look();
  }

  readonly subscribe = (f: () => void) => {
    this.listeners.add(f);
    return () => this.listeners.delete(f);
  };

  readonly now = (): Edited => this.shown;

  /** The import as it came from the service; a newer routine is taken up. */
  see(i: Import) {
    const version = i.routine_version ?? 0;
    if (this.busy || this.asking || version <= this.version) return;
    this.base = routineOf(i);
    this.version = version;
    this.tell();
  }

  /** Makes a routine what it is to become; done when the service has it, or says why not. */
  put(what: string, next: Routine): Promise<void> {
    const changes = changesBetween(this.shown.routine, next);
    if (!changes.length) return Promise.resolve();
    this.future = [];
    return this.add(what, changes, "edit");
  }

  /** Takes the last edit back, also one that is not saved yet. */
  undo() {
    const waits = this.queue.at(-1);
    if (waits && waits.undoes !== "undo") {
      if (this.withdraw(waits, () => this.undo())) this.future.push(waits);
      this.tell();
      return;
    }
    const last = this.past.pop();
    if (last) this.add(last.what, reversed(last.changes), "undo").catch(() => undefined);
  }

  /** Makes again what was taken back last. */
  redo() {
    const waits = this.queue.at(-1);
    if (waits?.undoes === "undo") {
      if (this.withdraw(waits, () => this.redo())) this.past.push({ ...waits, changes: reversed(waits.changes) });
      this.tell();
      return;
    }
    const next = this.future.pop();
    if (next) this.add(next.what, next.changes, "redo").catch(() => undefined);
  }

  /** Takes the last edit out of the queue; one that is under way is waited for, and then it is otherwise. */
  private withdraw(edit: Edit, otherwise: () => void): boolean {
    if (this.busy && this.queue.length === 1) {
      this.whenEmpty(otherwise);
      return false;
    }
    this.queue.pop();
    if (this.queue.length === 0) {
      this.asking = false;
      this.wait = 0;
      clearTimeout(this.timer);
    }
    edit.end();
    return true;
  }

  /** Lets the service make an edit itself, behind those that wait. */
  async through(what: string, act: (version: number) => Promise<Import>): Promise<Import> {
    while (this.queue.length > 0) await new Promise<void>((done) => this.whenEmpty(done));
    const before = this.base;
    const i = await act(this.version);
    this.took(i);
    this.future = [];
    this.past.push({ what, changes: changesBetween(before, this.base), undoes: "edit", end: () => undefined });
    this.tell();
    return i;
  }

  /** What the person says when somebody else has changed the same. */
  answer(mine: boolean) {
    const [first] = this.queue;
    if (!this.asking || !first) return;
    this.asking = false;
    if (mine) first.changes = madeOn(this.base, first.changes);
    else this.queue.shift()?.end();
    this.tell();
    void this.send();
  }

  /** Tries again at once what waits for the service. */
  again() {
    clearTimeout(this.timer);
    this.wait = 0;
    void this.send();
  }

  private add(what: string, changes: Change[], undoes: Edit["undoes"]): Promise<void> {
    this.error = undefined;
    const ended = new Promise<void>((resolve, reject) => {
      this.queue.push({ what, changes, undoes, end: (e) => (e === undefined ? resolve() : reject(e)) });
    });
    this.tell();
    void this.send();
    return ended;
  }

  private async send() {
    const [edit] = this.queue;
    if (this.busy || this.asking || !edit) return;
    if (contradicted(this.base, edit.changes).length > 0) {
      this.asking = true;
      this.tell();
      return;
    }
    this.busy = true;
    this.tell();
    let failed: unknown;
    try {
      this.took(await this.wire.save(applied(this.base, edit.changes), this.version));
    } catch (e) {
      failed = e;
    }
    this.busy = false;
    const status = failed instanceof Fault ? failed.problem.status : failed === undefined ? 200 : 0;
    if (status === 412) {
      await this.catchUp();
      return;
    }
    if (passing.includes(status)) {
      this.hold();
      return;
    }
    this.wait = 0;
    this.queue.shift();
    if (failed === undefined)
      (edit.undoes === "undo" ? this.future : this.past).push(
        edit.undoes === "undo" ? { ...edit, changes: reversed(edit.changes) } : edit,
      );
    else this.error = failed;
    edit.end(failed);
    this.tell();
    void this.send();
  }

  /** Takes up what somebody else has made of the routine, and goes on from there. */
  private async catchUp() {
    try {
      this.took(await this.wire.fetch());
    } catch {
      this.hold();
      return;
    }
    this.tell();
    void this.send();
  }

  /** Waits for the service, longer from time to time. */
  private hold() {
    this.wait = Math.min(this.wait ? this.wait * 2 : firstWait, longestWait);
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.send(), this.wait);
    this.tell();
  }

  private took(i: Import) {
    this.base = routineOf(i);
    this.version = i.routine_version ?? 0;
    this.wire.saved(i);
  }

  private whenEmpty(done: () => void) {
    const stop = this.subscribe(() => {
      if (this.queue.length > 0) return;
      stop();
      done();
    });
    if (this.queue.length === 0) {
      stop();
      done();
    }
  }

  private look(): Edited {
    const waits = this.queue.at(-1);
    const undo = (waits && waits.undoes !== "undo" ? waits : this.past.at(-1))?.what;
    const redo = (waits?.undoes === "undo" ? waits : this.future.at(-1))?.what;
    return {
      routine: this.queue.reduce((r, e) => applied(r, e.changes), this.base),
      state: this.asking ? "asks" : this.wait ? "waiting" : this.queue.length ? "saving" : "saved",
      ...(undo !== undefined ? { undo } : {}),
      ...(redo !== undefined ? { redo } : {}),
      ...(this.asking && this.queue[0] ? { asks: this.queue[0].what } : {}),
      ...(this.error !== undefined ? { error: this.error } : {}),
    };
  }

  private tell() {
    this.shown = this.look();
    for (const f of this.listeners) f();
  }
}
