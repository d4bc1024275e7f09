import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { siteQuery } from "@/shared/api/queries";
import { bytes, parseBytes } from "@/shared/format/figures";
import { Button } from "@/shared/ui/basics";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";

/** The page budget and the image cap, changed in place; a change can be undone. */
export function BudgetForm() {
  const site = useSite();
  const queries = useQueryClient();
  const say = useNotice();
  const [page, setPage] = useState(bytes(site.page_budget));
  const [image, setImage] = useState(bytes(site.image_cap));
  const wanted = { page_budget: parseBytes(page), image_cap: parseBytes(image) };
  const change = useMutation({
    mutationFn: (body: Schemas["SiteChange"]) =>
      told(api.PATCH("/api/v1/sites/{site_id}", { params: { path: { site_id: site.id } }, body })),
    onSuccess: (now) => {
      queries.setQueryData(siteQuery(site.id).queryKey, now);
      setPage(bytes(now.page_budget));
      setImage(bytes(now.image_cap));
      void queries.invalidateQueries();
    },
    onError: (error) => say(error.message),
  });
  const valid = wanted.page_budget !== null && wanted.image_cap !== null;
  const changed =
    valid &&
    (bytes(wanted.page_budget ?? 0) !== bytes(site.page_budget) ||
      bytes(wanted.image_cap ?? 0) !== bytes(site.image_cap));
  function save(event: FormEvent) {
    event.preventDefault();
    if (!valid) return;
    const before = { page_budget: site.page_budget, image_cap: site.image_cap };
    change.mutate(wanted, { onSuccess: () => say("The budgets were changed.", () => change.mutate(before)) });
  }
  return (
    <form onSubmit={save} className="flex flex-wrap items-end gap-6">
      <Size label="Budget of a page" value={page} valid={wanted.page_budget !== null} onChange={setPage} />
      <Size label="Cap of one image" value={image} valid={wanted.image_cap !== null} onChange={setImage} />
      <Button type="submit" disabled={!changed || change.isPending}>
        Hold pages to this
      </Button>
      {!valid && <p className="text-madder">Write sizes like 5 MB or 300 kB.</p>}
    </form>
  );
}

type SizeProps = { label: string; value: string; valid: boolean; onChange: (text: string) => void };

function Size({ label, value, valid, onChange }: SizeProps) {
  return (
    <label>
      <span className="mb-1 block text-ink-soft">{label}</span>
      <input
        value={value}
        onChange={(e) => onChange(e.target.value)}
        aria-invalid={!valid}
        className="figure w-[120px] rounded border border-rule bg-card px-2 py-1.5 aria-invalid:border-madder"
      />
    </label>
  );
}
