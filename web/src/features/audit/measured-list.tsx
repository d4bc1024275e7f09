import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { api, type Schemas, told } from "@/shared/api/client";
import { measurementQuery } from "@/shared/api/queries";
import { against, bytes, counted, fileName, when } from "@/shared/format/figures";
import { Button, Empty, Failed, Loading, PathWords } from "@/shared/ui/basics";
import { useOpenImage } from "@/shared/ui/open-image";
import { useSite } from "@/shared/ui/site-context";
import { INKS } from "@/shared/ui/state";
import { lineIndex, type View } from "@/shared/ui/view";
import { useTier } from "@/shared/ui/vocabulary";
import { WeightStrip } from "@/shared/ui/weight-strip";

/** The pages as measured on the screen of a view, the heaviest first. */
export function useMeasuredPages(view: View) {
  const site = useSite();
  const measurement = useQuery(measurementQuery(site.capture.id)).data;
  const settled = measurement?.going ? Math.floor(measurement.done / 8) : measurement?.done;
  return useInfiniteQuery({
    queryKey: ["measurement", measurement?.id, view.screen, view.tier, view.part, site, settled],
    queryFn: ({ pageParam }) =>
      told(
        api.GET("/api/v1/measurements/{measurement_id}/screens/{screen}/pages", {
          params: {
            path: { measurement_id: measurement?.id ?? 0, screen: view.screen },
            query: { tier: view.tier || undefined, part: view.part, after: pageParam },
          },
        }),
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (old) => old,
    enabled: measurement !== undefined && measurement !== null && view.screen !== "",
  });
}

/** Every page as measured on one screen: bytes on the wire, seconds, the largest picture, the shift of its layout. */
export function MeasuredList({ view }: { view: View }) {
  const site = useSite();
  const measurement = useQuery(measurementQuery(site.capture.id)).data;
  const pages = useMeasuredPages(view);
  const tier = useTier(view.tier);
  if (pages.isPending) return <Loading what="what was measured" />;
  if (pages.isError) return <Failed error={pages.error} again={() => pages.refetch()} />;
  const rows = pages.data.pages.flatMap((p) => p.items);
  if (rows.length === 0) {
    return <Empty>Nothing is measured on this screen yet; measure again to see it.</Empty>;
  }
  const scale = Math.max(pages.data.pages[0]?.heaviest ?? 0, site.page_budget);
  return (
    <>
      <p className="text-ink-soft">
        {view.screen === "recorded"
          ? "As the recording tells; it does not say on which screen."
          : origin(measurement?.estimated ?? false, tier.measured)}
        {measurement?.finished_at && ` Ended on ${when(measurement.finished_at)}.`}
        {measurement && measurement.problems > 0 && (
          <span className="text-madder">
            {" "}
            {counted(measurement.problems, "page-screen")} had a problem; its pages say which.
          </span>
        )}
      </p>
      <ul className="mt-4 divide-y divide-rule border-y border-rule">
        {rows.map((page) => (
          <MeasuredRow key={page.page_id} page={page} view={view} scale={scale} />
        ))}
      </ul>
      {pages.hasNextPage && (
        <Button className="mt-4" onClick={() => pages.fetchNextPage()}>
          Show more pages
        </Button>
      )}
    </>
  );
}

type RowProps = { page: Schemas["MeasuredPage"]; view: View; scale: number };

function MeasuredRow({ page, view, scale }: RowProps) {
  const site = useSite();
  const openImage = useOpenImage();
  const siteId = String(site.id);
  const used = page[view.part];
  const state = view.part === "opening" ? page.state_opening : page.state_scrolled;
  const loaded = page.loaded.filter((r) => view.part === "scrolled" || r.opening);
  const segments = loaded.map((r) => ({ image_id: r.image_id ?? 0, path: r.path, bytes: r.bytes }));
  const waits = view.part === "opening" ? page.seconds_opening : page.seconds_scrolled;
  const wait = waits[lineIndex(site.connections, view.line)] ?? 0;
  return (
    <li className="grid grid-cols-[minmax(150px,230px)_minmax(0,1fr)_80px_180px] items-start gap-6 py-2.5">
      <div className="min-w-0">
        <Link
          to="/sites/$siteId/audit/$pageId"
          params={{ siteId, pageId: String(page.page_id) }}
          search={view}
          className="block min-w-0"
        >
          <PathWords path={page.path} />
        </Link>
        <span
          className="block truncate text-[12.5px] text-ink-soft"
          title={page.lcp_path ?? page.lcp_element}
        >
          {page.problem || `${counted(loaded.length, "image")}; largest on screen: ${largest(page)}`}
        </span>
      </div>
      <div>
        <WeightStrip
          name={page.path}
          total={used}
          segments={segments}
          state={state}
          budget={page.allowed}
          scale={scale}
          onOpen={openImage}
        />
        {page.layout_shift >= 0.01 && (
          <span className="block truncate text-[12.5px] text-ink-soft" title={page.shifting.join(", ")}>
            layout shift <span className="figure">{page.layout_shift.toFixed(2)}</span>
            {page.shifting[0] && `, of ${fileName(page.shifting[0])}`}
          </span>
        )}
      </div>
      <span className="figure text-right text-ink-soft">
        {wait < 10 ? wait.toFixed(1) : Math.round(wait)} s
      </span>
      <p className="figure text-right">
        {bytes(used)}
        <span className={`block text-[12.5px] ${INKS[state]}`}>
          {state === "over" ? "" : `${state}, `}
          {against(used, page.allowed)}
          {page.allowed_by !== "the whole site" && (
            <span className="block text-ink-soft">by {page.allowed_by}</span>
          )}
        </span>
      </p>
    </li>
  );
}

/** Where the figures come from, in words. */
function origin(estimated: boolean, measured: boolean): string {
  if (estimated)
    return "Estimated from markup, for no browser is installed; lazy images count as not yet seen.";
  if (measured) return "Measured in Chromium.";
  return "Chosen anew from the markup for these browsers, starting from what Chromium was seen to load.";
}

function largest(page: Schemas["MeasuredPage"]): string {
  if (page.lcp_path) return fileName(page.lcp_path);
  return page.lcp_element ? `text (${page.lcp_element})` : "not told";
}
