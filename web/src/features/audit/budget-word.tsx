import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useId, useState } from "react";
import { api, told } from "@/shared/api/client";
import { siteQuery } from "@/shared/api/queries";
import { bytes, parseBytes } from "@/shared/format/figures";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";

/** The budget of every page as a word of a sentence: typed in place, kept with Enter, put back with Escape or Undo. */
export function BudgetWord() {
  const site = useSite();
  const queries = useQueryClient();
  const say = useNotice();
  const problem = useId();
  const [draft, setDraft] = useState<string | null>(null);
  const shown = draft ?? bytes(site.page_budget);
  const wanted = parseBytes(shown);
  const change = useMutation({
    mutationFn: (page_budget: number) =>
      told(
        api.PATCH("/api/v1/sites/{site_id}", {
          params: { path: { site_id: site.id } },
          body: { page_budget },
        }),
      ),
    onSuccess: (now) => {
      queries.setQueryData(siteQuery(site.id).queryKey, now);
      setDraft(null);
      void queries.invalidateQueries();
    },
    onError: (error) => say(error.message),
  });
  function save(event?: FormEvent) {
    event?.preventDefault();
    if (draft === null || wanted === null) return;
    const before = site.page_budget;
    if (bytes(wanted) === bytes(before)) setDraft(null);
    else
      change.mutate(wanted, { onSuccess: () => say("The budget was changed.", () => change.mutate(before)) });
  }
  return (
    <form onSubmit={save} className="inline">
      <input
        aria-label="Budget of a page"
        aria-describedby={wanted === null ? problem : undefined}
        aria-invalid={wanted === null}
        value={shown}
        onChange={(e) => setDraft(e.target.value)}
        onBlur={() => save()}
        onKeyDown={(e) => e.key === "Escape" && setDraft(null)}
        disabled={change.isPending}
        size={Math.max(4, shown.length)}
        className="word figure aria-invalid:border-madder"
      />
      {wanted === null && (
        <span id={problem} role="alert" className="ml-2 text-[14px] text-madder">
          Write sizes like 5 MB or 300 kB.
        </span>
      )}
    </form>
  );
}
