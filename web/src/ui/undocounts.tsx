import type { UndoPlan } from "../api/client";

/** What an undo would do, in numbers, and what it cannot. */
export function UndoCounts({ counts }: { counts: UndoPlan["counts"] }) {
  const does = counts.filter((c) => !c.why);
  const stays = counts.filter((c) => c.why);
  return (
    <>
      {does.length > 0 && (
        <ul className="mb-2">
          {does.map((c) => (
            <li key={c.act + c.type} className="py-0.5">
              {c.says}
            </li>
          ))}
        </ul>
      )}
      {stays.length > 0 && (
        <div className="mb-2 rounded bg-ask-soft px-3 py-2">
          <b className="font-medium">What cannot be taken back, and stays:</b>
          <ul>
            {stays.map((c) => (
              <li key={c.act + c.type + c.why}>{c.says}</li>
            ))}
          </ul>
        </div>
      )}
      {counts.length === 0 && <p>There is nothing left to take back.</p>}
    </>
  );
}
