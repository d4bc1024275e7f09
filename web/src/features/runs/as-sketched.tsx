import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Schemas } from "@/shared/api/client";
import { forecastQuery } from "@/shared/api/queries";
import { bytes, count, less } from "@/shared/format/figures";
import { approximately, ForecastPages, Over } from "@/shared/ui/forecast";
import { useSite } from "@/shared/ui/site-context";
import { type View, ViewSentence, withDefaults } from "@/shared/ui/view";
import { useTier } from "@/shared/ui/vocabulary";

/** What the sketches of a run say of pages and budgets, until the confirmed files are there. */
export function AsSketched({ run }: { run: Schemas["Run"] }) {
  const site = useSite();
  const tier = useTier("");
  const [chosen, choose] = useState<Partial<View>>({});
  const forecast = useQuery({
    ...forecastQuery(site.capture.id),
    queryKey: [...forecastQuery(site.capture.id).queryKey, "sketched", Math.floor(run.sketched / 5)],
    placeholderData: (old) => old,
  });
  const f = forecast.data;
  if (!f?.sketched) return null;
  const screens = site.screens.filter((s) => f.totals.some((t) => t.screen === s.name));
  const first = screens[0]?.name ?? "";
  const view: View = { ...withDefaults({ screen: first, tier: tier.name }), ...chosen };
  const total = f.totals.find(
    (t) => t.screen === view.screen && t.tier === view.tier && t.part === view.part,
  );
  return (
    <section aria-labelledby="sketched" className="mb-8">
      <h2 id="sketched" className="mb-2">
        As sketched
        {total && (
          <>
            : {bytes(total.before)} → <span className="text-thistle">{approximately(total.after)}</span>,{" "}
            {less(total.before, total.after.likely)}
          </>
        )}
      </h2>
      <p className="mb-3 max-w-[85ch] text-ink-soft">
        {count(f.sketched)} of {count(f.images)} images stand here as sketches: quick files that are not
        confirmed yet. Confirmed ones take their place one by one; no sketch is ever handed over.
      </p>
      {f.measured && total && (
        <ViewSentence
          view={view}
          change={(part) => choose((old) => ({ ...old, ...part }))}
          screens={screens}
          words={["part", "tier"]}
        >
          <Over total={total} />
        </ViewSentence>
      )}
      {!f.measured && total && (
        <p className="mb-3">
          Counted by the files that pages name: <Over total={total} />
        </p>
      )}
      {!f.pictures_alone && <ForecastPages view={view} stand={f.known + f.sketched} />}
    </section>
  );
}
