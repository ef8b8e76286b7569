import { useQuery } from "@tanstack/react-query";
import type { Import } from "../api/client";
import { act, suggestions, useImportActs } from "../api/queries";
import { Button, Wrong } from "../ui/parts";

const countries = new Intl.DisplayNames(["en"], { type: "region" });

/** Offers the country that telephone numbers seem to be of which name none. */
export function HomeOffer({ workspace, i }: { workspace: string; i: Import }) {
  const acts = useImportActs(workspace, i.id);
  const known = useQuery(suggestions(workspace, i));
  const home = known.data?.home;
  if (!home || i.reading?.country || !act(i, "change_reading").can) return null;
  return (
    <div className="mt-2 rounded-md border border-ask bg-ask-soft px-2.5 py-1.5">
      <div className="flex items-center justify-between gap-2">
        <b className="min-w-0 font-medium">Telephone numbers: {countries.of(home.country) ?? home.country}?</b>
        <Button disabled={acts.reading.isPending} onClick={() => acts.reading.mutate({ ...i.reading, country: home.country })}>
          Read them so
        </Button>
      </div>
      <span className="text-[12px] text-ink-soft">They name no country; {home.reason}.</span>
      <Wrong error={acts.reading.error} />
    </div>
  );
}
