import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, told } from "@/shared/api/client";
import { siteQuery } from "@/shared/api/queries";
import { bytes, parseBytes } from "@/shared/format/figures";
import { Button } from "@/shared/ui/basics";
import { DialogButton } from "@/shared/ui/dialog";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";
import { Budgets } from "./budgets";

/** The budget of every page, changed in place; a change can be undone. Narrower ones stand in a dialog. */
export function BudgetForm() {
  const site = useSite();
  const queries = useQueryClient();
  const say = useNotice();
  const [page, setPage] = useState(bytes(site.page_budget));
  const wanted = parseBytes(page);
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
      setPage(bytes(now.page_budget));
      void queries.invalidateQueries();
    },
    onError: (error) => say(error.message),
  });
  const changed = wanted !== null && bytes(wanted) !== bytes(site.page_budget);
  function save(event: FormEvent) {
    event.preventDefault();
    if (wanted === null) return;
    const before = site.page_budget;
    change.mutate(wanted, { onSuccess: () => say("The budget was changed.", () => change.mutate(before)) });
  }
  return (
    <div className="flex flex-wrap items-end gap-6">
      <form onSubmit={save} className="flex items-end gap-6">
        <label>
          <span className="mb-1 block text-ink-soft">Budget of a page</span>
          <input
            value={page}
            onChange={(e) => setPage(e.target.value)}
            aria-invalid={wanted === null}
            className="figure w-[120px] rounded border border-rule bg-card px-2 py-1.5 aria-invalid:border-madder"
          />
        </label>
        <Button type="submit" disabled={!changed || change.isPending}>
          Hold pages to this
        </Button>
      </form>
      <DialogButton trigger="Budgets by page, screen and role" title="Budgets" wide>
        {(close) => <Budgets close={close} />}
      </DialogButton>
      {wanted === null && <p className="text-madder">Write sizes like 5 MB or 300 kB.</p>}
    </div>
  );
}
