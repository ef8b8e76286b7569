import { useMutation } from "@tanstack/react-query";
import { FileUp } from "lucide-react";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, must, type Bundle } from "../api/client";
import { Button, cx, Dialog, Wrong } from "./parts";

const bytes = { bodySerializer: (b: string) => b as unknown as Blob, headers: { "Content-Type": "application/octet-stream" } };

/** Sends files to a bundle, one after the other, and gives the bundle as it is then. */
export async function sendToBundle(workspace: string, bundle: number, files: { name: string; body?: Blob }[]): Promise<Bundle> {
  let b: Bundle | undefined;
  for (const f of files)
    b = await must(
      api.POST("/workspaces/{workspace}/bundles/{bundle}/files", {
        params: { path: { workspace, bundle }, query: { name: f.name } },
        body: (f.body ?? f) as unknown as string,
        ...bytes,
      }),
    );
  return b ?? must(api.GET("/workspaces/{workspace}/bundles/{bundle}", { params: { path: { workspace, bundle } } }));
}

/** Takes one file or several, dropped or chosen, or a block pasted from a spreadsheet. */
export function Upload({ workspace }: { workspace: string }) {
  const go = useNavigate();
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const [paste, setPaste] = useState(false);
  const send = useMutation({
    mutationFn: async (files: { name: string; body: Blob }[]) => {
      const [first] = files;
      if (!first) return "";
      if (files.length > 1 || /\.zip$/i.test(first.name)) {
        const name = files.length > 1 ? `${first.name} and ${files.length - 1} more` : first.name.replace(/\.zip$/i, "");
        const made = await must(api.POST("/workspaces/{workspace}/bundles", { params: { path: { workspace } }, body: { name } }));
        await sendToBundle(workspace, made.id, files);
        return `bundles/${made.id}`;
      }
      const one = await must(
        api.POST("/workspaces/{workspace}/imports", {
          params: { path: { workspace }, query: { name: first.name } },
          body: first.body as unknown as string,
          ...bytes,
        }),
      );
      return `imports/${one.id}/columns`;
    },
    onSuccess: (to) => {
      if (to) void go(`/w/${workspace}/${to}`);
    },
  });
  const take = (list: FileList | null) => {
    if (list?.length) send.mutate([...list].map((f) => ({ name: f.name, body: f })));
  };
  return (
    <div>
      <div
        onDragOver={(e) => {
          e.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(e) => {
          e.preventDefault();
          setOver(false);
          take(e.dataTransfer.files);
        }}
        className={cx(
          "flex flex-wrap items-center gap-3 rounded-lg border-2 border-dashed px-4 py-4",
          over ? "border-act bg-act-soft" : "border-line-strong bg-sheet",
        )}
      >
        <FileUp size={22} className="text-act" aria-hidden />
        <div className="mr-auto">
          <div className="font-medium">{send.isPending ? "Sending…" : "Drop spreadsheets here"}</div>
          <div className="text-[12.5px] text-ink-soft">
            CSV, XLSX, ODS, JSON, tables of web pages; several, or a ZIP, as a bundle. Nothing is written before you have seen it.
          </div>
        </div>
        <Button look="act" onClick={() => input.current?.click()} disabled={send.isPending}>
          Choose files
        </Button>
        <Button onClick={() => setPaste(true)} disabled={send.isPending}>
          Paste rows
        </Button>
        <input
          ref={input}
          type="file"
          multiple
          aria-label="Files to import"
          className="sr-only"
          onChange={(e) => {
            take(e.target.files);
            e.target.value = ""; // the same file may be chosen again
          }}
        />
      </div>
      <Wrong error={send.error} className="mt-2" />
      <Paste
        open={paste}
        onClose={() => setPaste(false)}
        onTake={(text) => send.mutate([{ name: "pasted.csv", body: new Blob([text]) }])}
      />
    </div>
  );
}

function Paste({ open, onClose, onTake }: { open: boolean; onClose: () => void; onTake: (text: string) => void }) {
  const [text, setText] = useState("");
  return (
    <Dialog
      open={open}
      onClose={onClose}
      wide
      title="Paste rows from a spreadsheet"
      foot={
        <Button
          look="act"
          disabled={!text.trim()}
          onClick={() => {
            onTake(text);
            onClose();
          }}
        >
          Read {text.trim() ? text.trim().split("\n").length - 1 : 0} rows
        </Button>
      }
    >
      <textarea
        aria-label="Rows with a header line"
        value={text}
        onChange={(e) => setText(e.target.value)}
        placeholder="The first line holds the column names."
        className="h-64 w-full rounded-md border border-line-strong bg-raised p-2 font-mono text-[12px]"
      />
    </Dialog>
  );
}
