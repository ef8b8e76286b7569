import type { ReactNode } from "react";
import type { Import, RecordType, TypeList } from "../api/client";
import type { Filter } from "./grid";
import { Tabs } from "../ui/parts";
import { titleOf, type Kind } from "./mapping";

/** What every station's side panel gets. */
export interface PanelProps {
  workspace: string;
  i: Import;
  /** The records that a row becomes. */
  kinds: Kind[];
  /** The record type of the first of them. */
  t: RecordType | undefined;
  types: TypeList;
  /** The selected row, and the one of its records that a panel is about. */
  row: number;
  draft: string;
  onDraft: (name: string) => void;
  filter: Filter;
  onFilter: (f: Partial<Filter>) => void;
  onStation: (name: string) => void;
  /** Opens the questions. */
  onAsk: () => void;
}

/** Chooses one of the records that a row becomes; nothing where there is only one. */
export function KindTabs({ kinds, at, onDraft }: { kinds: Kind[]; at: Kind | undefined; onDraft: (name: string) => void }) {
  if (kinds.length < 2) return null;
  return (
    <Tabs
      small
      label="Records of the row"
      value={at?.name ?? ""}
      onChange={onDraft}
      options={kinds.map((k) => ({ value: k.name, label: titleOf(k, kinds) }))}
    />
  );
}

export function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="border-b border-line px-4 py-3">
      <h3 className="mb-1.5 text-[14px]">{title}</h3>
      {children}
    </section>
  );
}

/** Problems that are only told: the row loads with all that it says. */
export const toldOnly = ["known_elsewhere", "made_before", "link_left", "emptied_in_sheet", "short_code"];
