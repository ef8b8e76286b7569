import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState, type RefObject } from "react";
import { Link, useNavigate } from "react-router";
import { api, must, type Import } from "../api/client";
import { when } from "../pages/start";
import { Button, Dialog, inputClass, Labelled, Wrong } from "../ui/parts";
import { toast } from "../ui/toast";
import { Tally } from "../ui/verdict";

/** That the same file came before, when, and what came of it. */
export function SameFile({ workspace, i }: { workspace: string; i: Import }) {
  const [before] = i.same_file ?? [];
  if (!before || i.written) return null;
  return (
    <div
      role="status"
      className="flex flex-wrap items-baseline gap-x-3 border-t border-ask bg-ask-soft px-5 py-1.5 text-[12.5px]"
    >
      <b className="font-medium">This file came before:</b>
      <span>
        <Link className="text-act underline" to={`/w/${workspace}/imports/${before.id}/result`}>
          import {before.id}
        </Link>{" "}
        of {before.made_by}, {when(before.made_at)}, {before.state}
      </span>
      <Tally outcomes={before.outcomes} />
    </div>
  );
}

/** Makes an import that of a colleague. */
export function HandOver({ workspace, i, onClose }: { workspace: string; i: Import; onClose: () => void }) {
  const client = useQueryClient();
  const [email, setEmail] = useState("");
  const hand = useMutation({
    mutationFn: () =>
      must(
        api.POST("/workspaces/{workspace}/imports/{import}/hand-over", {
          params: { path: { workspace, import: i.id } },
          body: { email },
        }),
      ),
    onSuccess: async (now) => {
      await client.invalidateQueries({ queryKey: ["import", workspace, i.id] });
      toast(`The import is now that of ${now.made_by}.`);
      onClose();
    },
  });
  return (
    <Dialog
      open
      onClose={onClose}
      unsaved={email !== ""}
      title={`Hand ${i.name} over`}
      foot={
        <Button look="act" disabled={!email.trim() || hand.isPending} onClick={() => hand.mutate()}>
          Hand it over
        </Button>
      }
    >
      <Labelled label="To whom" hint={`It is that of ${i.made_by} now. What was answered, mended and loaded stays named.`}>
        <input
          autoFocus
          type="email"
          className={inputClass}
          placeholder="name@company.example"
          value={email}
          onChange={(e) => setEmail(e.target.value)}
        />
      </Labelled>
      <Wrong error={hand.error} className="mt-2" />
    </Dialog>
  );
}

/** Takes a new file and sets its import up as this one is. */
export function useLike(
  workspace: string,
  id: number,
): { choose: () => void; input: RefObject<HTMLInputElement | null>; take: (f: File | undefined) => void } {
  const go = useNavigate();
  const input = useRef<HTMLInputElement>(null);
  const send = useMutation({
    mutationFn: (f: File) =>
      must(
        api.POST("/workspaces/{workspace}/imports", {
          params: { path: { workspace }, query: { name: f.name, like: id } },
          body: f as unknown as string,
          bodySerializer: (b) => b as unknown as Blob,
          headers: { "Content-Type": "application/octet-stream" },
        }),
      ),
    onSuccess: (made) => void go(`/w/${workspace}/imports/${made.id}/columns`),
    onError: (error) => toast(`The file was not taken: ${error.message}`),
  });
  return { choose: () => input.current?.click(), input, take: (f) => f && send.mutate(f) };
}
