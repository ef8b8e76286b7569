import { useEffect, useState } from "react";
import { count } from "./verdict";

interface Sample {
  at: number;
  done: number;
}

/** How much of the past counts for the rate, in milliseconds. */
const reach = 20_000;

function about(seconds: number): string {
  if (seconds < 5) return "a few seconds left";
  if (seconds < 90) return `about ${Math.ceil(seconds / 5) * 5} seconds left`;
  return `about ${Math.ceil(seconds / 60)} minutes left`;
}

/** How far a piece of work is, how fast it goes, and how long it still takes; of is 0 where nobody knows. */
export function Pace({ done, of, running }: { done: number; of: number; running: boolean }) {
  const [samples, setSamples] = useState<Sample[]>([]);
  useEffect(() => {
    const now = Date.now();
    setSamples((was) => {
      const last = was.at(-1);
      if (!running || (last && last.done > done)) return [{ at: now, done }];
      if (last?.done === done) return was;
      return [...was.filter((s) => now - s.at < reach), { at: now, done }];
    });
  }, [done, running]);
  const [first] = samples;
  const last = samples.at(-1);
  const rate = first && last && last.at > first.at ? ((last.done - first.done) * 1000) / (last.at - first.at) : 0;
  return (
    <div className="figures" role="status">
      {count(done)}
      {of > 0 && ` of ${count(of)}`} rows
      {!running && " · paused"}
      {running && rate >= 1 && (
        <span className="block text-[12.5px] text-ink-soft">
          {count(Math.round(rate))} a second
          {of > done && `, ${about((of - done) / rate)}`}
        </span>
      )}
    </div>
  );
}
