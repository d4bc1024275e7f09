import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { api, type Schemas, told } from "@/shared/api/client";
import { bytes, count, counted, duration, less } from "@/shared/format/figures";
import { Failed, Loading, Title } from "@/shared/ui/basics";
import { useOpenImage } from "@/shared/ui/open-image";
import { useSite } from "@/shared/ui/site-context";
import { INKS } from "@/shared/ui/state";
import { type View, ViewSentence } from "@/shared/ui/view";
import { WeightStrip } from "@/shared/ui/weight-strip";

type Forecast = Schemas["Forecast"];
type Total = Schemas["TotalForecast"];
type Range = Schemas["RangeOut"];

type Props = { forecast: Forecast; view: View; change: (part: Partial<View>) => void };

/** What the rules would bring: one figure with how sure it is, and the pages that stay heaviest. */
export function ForecastHead({ forecast: f, view, change }: Props) {
  const site = useSite();
  const total = f.totals.find(
    (t) => t.screen === view.screen && t.tier === view.tier && t.part === view.part,
  );
  const screens = site.screens.filter((s) => f.totals.some((t) => t.screen === s.name));
  return (
    <section aria-label="Forecast" className="mb-8">
      <Title says={<Making forecast={f} />}>
        {total ? (
          <>
            {bytes(total.before)} → <span className="text-thistle">{approximately(total.after)}</span>,{" "}
            {less(total.before, total.after.likely)}
          </>
        ) : (
          `${counted(f.images, "image")} to treat`
        )}
      </Title>
      {f.measured && total && (
        <ViewSentence view={view} change={change} screens={screens} words={["part", "tier"]}>
          <Over total={total} />
        </ViewSentence>
      )}
      {!f.measured && !f.pictures_alone && total && (
        <p className="my-4 max-w-[85ch]">
          Counted by the files that pages name, since none was measured yet: <Over total={total} />{" "}
          <Link to="/sites/$siteId/audit" params={{ siteId: String(site.id) }}>
            Measure the pages
          </Link>{" "}
          to know what each screen loads.
        </p>
      )}
      {!f.pictures_alone && <Pages view={view} forecast={f} />}
    </section>
  );
}

/** "about 6.9 MB (6.2 MB to 7.8 MB)"; without a range where everything is known. */
function approximately(range: Range) {
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

/** Files, storage and time, and what the forecast rests on. */
function Making({ forecast: f }: { forecast: Forecast }) {
  const time =
    f.seconds.low === f.seconds.high
      ? duration(f.seconds.likely)
      : `${duration(f.seconds.likely)} (${duration(f.seconds.low)} to ${duration(f.seconds.high)})`;
  return (
    <>
      {counted(f.images, "image")} of {bytes(f.bytes)} become {counted(f.renditions, "file")} that add{" "}
      {bytes(f.storage.likely)}; the run takes about {time} here. <Basis forecast={f} />
    </>
  );
}

function Basis({ forecast: f }: { forecast: Forecast }) {
  const known = f.known > 0 ? `${count(f.known)} of them were really made already` : "None was made yet";
  const sample = f.sample;
  if (f.known >= f.images) return <>All of them were really made already, by these very rules.</>;
  if (sample?.going && sample.total > 0)
    return (
      <span role="status">
        {known}; a sample makes it surer, {count(sample.done)} of {count(sample.total)} done.
      </span>
    );
  return <>{known}; eight cases of ten lie within the ranges.</>;
}

function Over({ total: t }: { total: Total }) {
  const { low, likely, high } = t.over_after;
  return (
    <>
      {t.over_before} of {counted(t.pages, "page")} {t.over_before === 1 ? "is" : "are"} over budget now,{" "}
      <strong className={likely > 0 ? "text-madder" : "text-stem"}>{likely === 0 ? "none" : likely}</strong>{" "}
      after{low !== high && ` (${low} to ${high})`}.
    </>
  );
}

function Pages({ view, forecast }: { view: View; forecast: Forecast }) {
  const site = useSite();
  const openImage = useOpenImage();
  const { screen, tier, part } = view;
  const pages = useQuery({
    queryKey: ["capture", site.capture.id, "forecast", "pages", screen, tier, part, forecast.known],
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
              className="block truncate"
            >
              {p.path}
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
