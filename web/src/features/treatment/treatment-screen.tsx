import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { useEffect } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { forecastQuery, runQuery, siteQuery } from "@/shared/api/queries";
import { count, counted, duration } from "@/shared/format/figures";
import { Button, Empty, Failed, Loading } from "@/shared/ui/basics";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";
import { type View, withDefaults } from "@/shared/ui/view";
import { useTier } from "@/shared/ui/vocabulary";
import { ForecastHead } from "./forecast-head";
import { PicturePlan } from "./picture-plan";
import { Rules } from "./rules";

const LOOK_AGAIN = 2_000;

/** What the rules would bring, the rules themselves, and the button that starts a run. */
export function TreatmentScreen() {
  const site = useSite();
  const ready = site.capture.state === "done";
  const forecast = useQuery({
    ...forecastQuery(site.capture.id),
    enabled: ready,
    placeholderData: (old) => old,
    refetchInterval: (query) => (query.state.data?.sample?.going ? LOOK_AGAIN : false),
  });
  if (!ready) return <Empty>The site is not read yet.</Empty>;
  if (forecast.isPending) return <Loading screen what="the forecast" />;
  if (forecast.isError) return <Failed screen error={forecast.error} again={() => forecast.refetch()} />;
  return <Treatment forecast={forecast.data} />;
}

function Treatment({ forecast: f }: { forecast: Schemas["Forecast"] }) {
  const navigate = useNavigate({ from: "/sites/$siteId/treatment" });
  const search = useSearch({ from: "/sites/$siteId/treatment" });
  const tier = useTier(search.tier ?? "");
  useSample(f);
  const site = useSite();
  const seen = new Set(f.totals.map((t) => t.screen));
  const screens = [...site.screens.map((s) => s.name).filter((name) => seen.has(name)), ...seen];
  const screen = screens.includes(search.screen ?? "") ? (search.screen ?? "") : (screens[0] ?? "");
  const view: View = { ...withDefaults(search), screen, tier: tier.name };
  const change = (part: Partial<View>) => navigate({ search: (old) => ({ ...old, ...part }), replace: true });
  return (
    <>
      <ForecastHead forecast={f} view={view} change={change} />
      {f.pictures_alone && <PicturePlan forecast={f} />}
      <Rules forecast={f} />
      {f.left_alone.length > 0 && (
        <details className="mb-8">
          <summary className="cursor-pointer">
            {counted(
              f.left_alone.reduce((sum, l) => sum + l.count, 0),
              "image",
            )}{" "}
            left alone, and why
          </summary>
          <table className="mt-2 border-collapse">
            <tbody className="divide-y divide-rule">
              {f.left_alone.map((l) => (
                <tr key={l.reason}>
                  <td className="figure py-1.5 pr-4 text-right align-top">{count(l.count)}</td>
                  <td className="py-1.5">{l.reason}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </details>
      )}
      <Start forecast={f} />
    </>
  );
}

/** Has a sample taken while the screen is looked at, once for these rules. */
function useSample(f: Schemas["Forecast"]) {
  const site = useSite();
  const queries = useQueryClient();
  const captureId = site.capture.id;
  const { mutate, isIdle } = useMutation({
    mutationFn: () =>
      told(
        api.POST("/api/v1/captures/{capture_id}/samples", { params: { path: { capture_id: captureId } } }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: forecastQuery(captureId).queryKey }),
  });
  const wanted = f.sample === null && f.images > f.known && !site.run_going;
  useEffect(() => {
    if (wanted && isIdle) mutate();
  }, [wanted, isIdle, mutate]);
}

/** The button that starts, always in sight, with what it takes. */
function Start({ forecast: f }: { forecast: Schemas["Forecast"] }) {
  const site = useSite();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const say = useNotice();
  const start = useMutation({
    mutationFn: () =>
      told(
        api.POST("/api/v1/captures/{capture_id}/runs", {
          params: { path: { capture_id: site.capture.id } },
        }),
      ),
    onSuccess: async (run) => {
      queries.setQueryData(runQuery(run.id).queryKey, run);
      await queries.invalidateQueries({ queryKey: siteQuery(site.id).queryKey });
      void navigate({ to: "/sites/$siteId/runs", params: { siteId: String(site.id) } });
    },
    onError: (error) => say(error.message),
  });
  const going = site.run_going;
  return (
    <div className="sticky bottom-0 -mx-4 -mb-7 flex flex-wrap items-center justify-between gap-4 border-t border-rule bg-paper px-4 py-3 md:-mx-8 md:px-8">
      <span className="text-ink-soft">
        {f.images === 0
          ? "Nothing is to be treated by these rules."
          : `About ${duration(f.seconds.likely)}; it can be left alone and stopped. Originals stay untouched, and nothing is handed over before you say so.`}
      </span>
      <Button
        tone="main"
        onClick={() => start.mutate()}
        disabled={start.isPending || going || f.images === 0}
      >
        {going ? "A run is going on" : `Treat ${counted(f.images, "image")}`}
      </Button>
    </div>
  );
}
