import { Link } from "@tanstack/react-router";
import type { Schemas } from "@/shared/api/client";
import { bytes, count, counted, duration, less } from "@/shared/format/figures";
import { Title } from "@/shared/ui/basics";
import { approximately, ForecastPages, Over } from "@/shared/ui/forecast";
import { useSite } from "@/shared/ui/site-context";
import { type View, ViewSentence } from "@/shared/ui/view";

type Forecast = Schemas["Forecast"];

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
      {!f.pictures_alone && <ForecastPages view={view} stand={f.known + f.sketched} />}
    </section>
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
  const made = f.known > 0 ? `${count(f.known)} of them were really made already` : "None was made yet";
  const known = f.sketched > 0 ? `${made}, ${count(f.sketched)} are sketched` : made;
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
