import type { ReactNode } from "react";
import type { Import, RecordType, TypeList } from "../api/client";
import type { Filter } from "./grid";

/** What every station's side panel gets. */
export interface PanelProps {
  workspace: string;
  i: Import;
  t: RecordType | undefined;
  types: TypeList;
  filter: Filter;
  onFilter: (f: Partial<Filter>) => void;
  onStation: (name: string) => void;
  /** Opens the questions. */
  onAsk: () => void;
}

export function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="border-b border-line px-4 py-3">
      <h3 className="mb-1.5 text-[14px]">{title}</h3>
      {children}
    </section>
  );
}
