import { useQuery } from "@tanstack/react-query";
import { marked } from "marked";
import { useState } from "react";
import { Dialog, Loading, Ticked, Wrong } from "./parts";
import { setLetters, useLetters } from "./keys";

/** The pages of the guide, as they stand in docs/guide; each is fetched when it is shown. */
const guide = import.meta.glob<string>("../../../docs/guide/*.md", { query: "?raw", import: "default" });

type Keys = [keys: string, does: string][];

const everywhere: Keys = [
  ["?", "this help"],
  ["/", "search what is shown"],
  ["Esc", "close what is open"],
];

const grid: Keys = [
  ["↑ ↓ ← →", "walk the cells"],
  ["Home, End", "first and last column; with Ctrl first and last row"],
  ["Page Up, Page Down", "a screen of rows up or down"],
  ["F2, or just typing", "change the cell, where it can be changed; Enter keeps it, Escape leaves it"],
  ["Enter", "show the row as the records that it becomes"],
  ["Shift + ↑ ↓", "choose several rows"],
  ["Ctrl + C", "copy the cell, or the chosen rows, as tab-separated text"],
];

/** What helps in each part of the console: its page of the guide, and its keys. */
const views: { at: RegExp; page: string; keys: Keys }[] = [
  {
    at: /\/imports\/\d+\/check.*asking/,
    page: "matching",
    keys: [
      ["T", "it is the chosen candidate"],
      ["N", "it is a new record"],
      ["L", "leave the row out"],
      ["U", "undo the last answer"],
      ["1 to 9", "choose a candidate"],
      ["← →", "the question before, the next one"],
    ],
  },
  { at: /\/imports\/\d+\/source/, page: "reading", keys: grid },
  {
    at: /\/imports\/\d+\/columns/,
    page: "columns",
    keys: [["Ctrl + Z", "undo the last edit; with Shift redo it"], ...grid],
  },
  { at: /\/imports\/\d+\/matching/, page: "matching", keys: [["Ctrl + Z", "undo the last edit; with Shift redo it"], ...grid] },
  { at: /\/imports\/\d+\/check/, page: "mend", keys: grid },
  { at: /\/imports\/\d+\//, page: "undo", keys: grid },
  { at: /\/imports/, page: "reading", keys: [] },
  { at: /\/bundles/, page: "bundles", keys: [] },
  { at: /\/feeds/, page: "feeds", keys: [] },
  { at: /\/account/, page: "people", keys: [] },
  { at: /\/log/, page: "service", keys: [] },
  { at: /\/records/, page: "records", keys: grid },
  { at: /\/routines/, page: "columns", keys: [] },
  { at: /\/types/, page: "records", keys: [] },
  { at: /\/api/, page: "console", keys: [] },
];

/** The keys of the view, and the page of the guide that is about it. */
export default function Help({ address, onClose }: { address: string; onClose: () => void }) {
  const view = views.find((v) => v.at.test(address));
  const [page, setPage] = useState(view?.page ?? "README");
  const letters = useLetters();
  const text = useQuery({
    queryKey: ["guide", page],
    staleTime: Infinity,
    queryFn: async () => {
      const fetchPage = guide[`../../../docs/guide/${page}.md`];
      if (!fetchPage) throw new Error("there is no such page of the guide");
      return marked.parse(await fetchPage());
    },
  });
  return (
    <Dialog open wide onClose={onClose} title="Help">
      <h3 className="mb-1 font-head text-[15px]">Keys</h3>
      <dl className="mb-3 grid grid-cols-[max-content_1fr] gap-x-4 gap-y-1">
        {[...(view?.keys ?? []), ...everywhere].map(([keys, does]) => (
          <div key={keys + does} className="contents">
            <dt>
              <kbd className="rounded border border-line-strong bg-paper px-1.5 font-mono text-[12px]">{keys}</kbd>
            </dt>
            <dd>{does}</dd>
          </div>
        ))}
      </dl>
      <Ticked label="Single letters act as keys, where their view has the focus" on={letters} onChange={setLetters} />
      <div className="mt-4 border-t border-line pt-3">
        <Wrong error={text.error} />
        {!text.data && !text.error && <Loading what="the guide" />}
        {text.data && (
          <article
            className="guide"
            // The pages are our own and come with the console.
            dangerouslySetInnerHTML={{ __html: text.data }}
            onClick={(e) => {
              const link = (e.target as HTMLElement).closest("a")?.getAttribute("href");
              const to = /^([\w-]+)\.md/.exec(link ?? "")?.[1];
              if (!to) return;
              e.preventDefault();
              setPage(to);
            }}
          />
        )}
        {page !== "README" && (
          <button type="button" className="mt-3 text-act underline" onClick={() => setPage("README")}>
            All pages of the guide
          </button>
        )}
      </div>
    </Dialog>
  );
}
