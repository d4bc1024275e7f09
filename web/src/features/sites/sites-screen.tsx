import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { Plus, X } from "lucide-react";
import { api, type Schemas, told } from "@/shared/api/client";
import { sitesQuery } from "@/shared/api/queries";
import { bytes, counted, less, when } from "@/shared/format/figures";
import { Button, buttonLook, Empty, Failed, Loading, Title } from "@/shared/ui/basics";
import { useNotice } from "@/shared/ui/notices";
import { Room } from "./room";

/** Every site under care, with where its work stands. */
export function SitesScreen() {
  // Only what is being read changes by itself.
  const sites = useQuery({
    ...sitesQuery,
    refetchInterval: (query) => (query.state.data?.some(isBeingRead) ? 2_000 : false),
  });
  return (
    <main className="mx-auto max-w-[1080px] px-8 py-10">
      <Title
        says="Each site's images, held against their budgets, treated in bulk and handed over with fallbacks."
        side={
          <Link to="/new" className={buttonLook}>
            <Plus size={16} aria-hidden="true" /> Add a site
          </Link>
        }
      >
        Sites
      </Title>
      {sites.isPending && <Loading what="the sites" />}
      {sites.isError && <Failed error={sites.error} again={() => sites.refetch()} />}
      {sites.data?.length === 0 && (
        <Empty>No site yet. Add one from a folder on this machine or from a ZIP of the built site.</Empty>
      )}
      <ul className="divide-y divide-rule border-y border-rule">
        {sites.data?.map((site) => (
          <SiteRow key={site.id} site={site} />
        ))}
      </ul>
      <Room />
    </main>
  );
}

function isBeingRead(site: Schemas["Site"]): boolean {
  return site.capture?.going ?? false;
}

function SiteRow({ site }: { site: Schemas["Site"] }) {
  const queries = useQueryClient();
  const say = useNotice();
  const refresh = () => queries.invalidateQueries({ queryKey: sitesQuery.queryKey });
  const path = { params: { path: { site_id: site.id } } };
  const restore = useMutation({
    mutationFn: () => told(api.POST("/api/v1/sites/{site_id}/restore", path)),
    onSuccess: refresh,
  });
  const remove = useMutation({
    mutationFn: () => told(api.DELETE("/api/v1/sites/{site_id}", path)),
    onSuccess: () => {
      void refresh();
      say(`${site.name} was taken off the list.`, () => restore.mutate());
    },
    onError: (error) => say(error.message),
  });
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_auto_auto] items-center gap-8 py-5">
      <div className="min-w-0">
        <Link
          to="/sites/$siteId/audit"
          params={{ siteId: String(site.id) }}
          className="font-serif text-[21px] leading-tight"
        >
          {site.name}
        </Link>
        <p className="mt-1 text-ink-soft">{standing(site)}</p>
      </div>
      {site.ledger && (
        <p className="figure text-right">
          {bytes(site.ledger.before)}
          {site.ledger.after !== null && (
            <>
              {" → "}
              <span className="text-thistle">{bytes(site.ledger.after)}</span>
              <span className="block text-ink-soft">{less(site.ledger.before, site.ledger.after)}</span>
            </>
          )}
        </p>
      )}
      <Button
        onClick={() => remove.mutate()}
        disabled={remove.isPending}
        aria-label={`Remove ${site.name}`}
        className="border-transparent bg-transparent text-ink-soft"
      >
        <X size={15} aria-hidden="true" /> Remove
      </Button>
    </li>
  );
}

/** Where a site's work stands, in a sentence. */
function standing(site: Schemas["Site"]): string {
  const { capture, ledger } = site;
  if (!capture) return "Not read yet.";
  if (capture.state === "failed") return `Could not be read. ${capture.error ?? ""}`;
  if (capture.state === "stopped") return "Reading was stopped; what was read is kept.";
  if (capture.state !== "done" || !ledger) {
    return capture.files_total
      ? `Reading file ${capture.files_done} of ${capture.files_total} …`
      : "Reading …";
  }
  const read = `Read ${when(capture.created_at)}.`;
  if (site.pictures_alone) return `${counted(ledger.images, "picture")}, no page. ${read}`;
  const pages = `${counted(ledger.pages, "page")}, ${ledger.pages_over} over budget`;
  return `${pages}; ${counted(ledger.images, "image")}, ${ledger.images_over_cap} over their cap. ${read}`;
}
