import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { api, type Schemas, told } from "@/shared/api/client";
import { bytes, counted } from "@/shared/format/figures";
import { PathWords } from "@/shared/ui/basics";
import { Failed, Loading } from "./basics";
import { useOpenImage } from "./open-image";
import { useSite } from "./site-context";
import { INKS } from "./state";
import type { View } from "./view";
import { WeightStrip } from "./weight-strip";

type Total = Schemas["TotalForecast"];
type Range = Schemas["RangeOut"];

/** "about 6.9 MB (6.2 MB to 7.8 MB)"; without a range where everything is known. */
export function approximately(range: Range) {
  if (range.low === range.high) return bytes(range.likely);
  return (
    <>
      about {bytes(range.likely)}{" "}
      <span className="text-[0.6em] text-ink-soft">
        {bytes(range.low)} to {bytes(range.high)}
      </span>
    </>
  );
}

/** How many pages are over their budgets, now and after. */
export function Over({ total: t }: { total: Total }) {
  const { low, likely, high } = t.over_after;
  return (
    <>
      {t.over_before} of {counted(t.pages, "page")} {t.over_before === 1 ? "is" : "are"} over budget now,{" "}
      <strong className={likely > 0 ? "text-madder" : "text-stem"}>{likely === 0 ? "none" : likely}</strong>{" "}
      after{low !== high && ` (${low} to ${high})`}.
    </>
  );
}

/** The pages that stay nearest to their budgets, or over them. `stand` changes when there is more to tell. */
export function ForecastPages({ view, stand }: { view: View; stand: number }) {
  const site = useSite();
  const openImage = useOpenImage();
  const { screen, tier, part } = view;
  const pages = useQuery({
    queryKey: ["capture", site.capture.id, "forecast", "pages", screen, tier, part, stand],
    queryFn: () =>
      told(
        api.GET("/api/v1/captures/{capture_id}/forecast/pages", {
          params: { path: { capture_id: site.capture.id }, query: { screen, tier, part } },
        }),
      ),
    placeholderData: (old) => old,
  });
  if (pages.isPending) return <Loading what="the pages" />;
  if (pages.isError) return <Failed error={pages.error} again={() => pages.refetch()} />;
  const { items, heaviest, total } = pages.data;
  return (
    <>
      <ul aria-label="Pages that stay heaviest" className="divide-y divide-rule border-y border-rule">
        {items.map((p) => (
          <li
            key={p.page_id}
            className="grid grid-cols-1 items-center gap-x-6 gap-y-1 py-1.5 md:grid-cols-[minmax(150px,220px)_minmax(0,1fr)_250px]"
          >
            <Link
              to="/sites/$siteId/audit/$pageId"
              params={{ siteId: String(site.id), pageId: String(p.page_id) }}
              search={view}
              className="block min-w-0"
            >
              <PathWords path={p.path} />
            </Link>
            <WeightStrip
              name={p.path}
              total={p.before}
              segments={p.segments}
              state={p.state_before}
              budget={p.allowed}
              scale={Math.max(heaviest, 1)}
              after={p.after.likely}
              onOpen={openImage}
            />
            <p className="figure md:text-right">
              {bytes(p.before)} → <span className="text-thistle">{bytes(p.after.likely)}</span>
              <span
                className={`ml-2 text-[12.5px] ${p.state_after === "over" ? INKS.over : "text-ink-soft"}`}
              >
                {p.state_after === "over" ? `${bytes(p.after.likely - p.allowed)} over` : "in budget"}
              </span>
            </p>
          </li>
        ))}
      </ul>
      {total > items.length && (
        <p className="mt-1 text-ink-soft">
          The {items.length} nearest to their budgets after, of {counted(total, "page")}.
        </p>
      )}
    </>
  );
}
