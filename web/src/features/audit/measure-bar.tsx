import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, told } from "@/shared/api/client";
import { useStopAndGoOn } from "@/shared/api/jobs";
import { useProgress } from "@/shared/api/progress";
import { findingsQuery, measurementQuery } from "@/shared/api/queries";
import { count, counted, duration } from "@/shared/format/figures";
import { Button, Failed, Progress } from "@/shared/ui/basics";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";
import { ScreensDialog } from "./screens-dialog";

/** Starts measuring and shows how far it is; `children` are buttons beside its own. */
export function MeasureBar({ children }: { children: ReactNode }) {
  const site = useSite();
  const captureId = site.capture.id;
  const queries = useQueryClient();
  const say = useNotice();
  const query = measurementQuery(captureId);
  const measurement = useQuery(query);
  const m = measurement.data;
  const going = m?.going ?? false;
  useProgress("measurements", m?.id, going, (now) => {
    queries.setQueryData(query.queryKey, now);
    // Once measured, the pages are audited again.
    if (!now.going) void queries.invalidateQueries({ queryKey: findingsQuery(captureId).queryKey });
  });
  const settled = {
    onSuccess: (now: typeof m) => queries.setQueryData(query.queryKey, now),
    onError: (e: Error) => say(e.message),
  };
  const start = useMutation({
    mutationFn: () =>
      told(
        api.POST("/api/v1/captures/{capture_id}/measurements", {
          params: { path: { capture_id: captureId } },
        }),
      ),
    ...settled,
  });
  const act = useStopAndGoOn("measurements", m?.id ?? 0, settled.onSuccess);
  if (!m) {
    return (
      <div className="mb-4 flex flex-wrap items-center gap-3">
        <Button onClick={() => start.mutate()} disabled={start.isPending || measurement.isPending}>
          Measure in a browser
        </Button>
        <ScreensDialog />
        {children}
        <span className="basis-full text-ink-soft">
          Measuring loads every page in headless Chromium on the {counted(site.screens.length, "screen")} of
          this site: {site.screens.map((s) => s.name).join(", ")}.
        </span>
      </div>
    );
  }
  return (
    <div className="mb-4 space-y-3">
      {going && (
        <div className="flex items-center gap-4">
          <div className="w-[280px]">
            <Progress done={m.done} total={m.total} label="Pages measured" />
          </div>
          <span className="figure">
            {count(m.done)} of {counted(m.total, "page-screen")}
            {m.seconds_left !== null && `, about ${duration(m.seconds_left)} left`}
          </span>
          <Button onClick={act.stop} disabled={act.pending || act.stopping}>
            {act.stopping ? "Stopping …" : "Stop measuring"}
          </Button>
        </div>
      )}
      {m.error && <Failed error={new Error(m.error)} />}
      <div className="flex flex-wrap items-center gap-3">
        {m.can_go_on && (
          <Button onClick={act.goOn} disabled={act.pending}>
            Go on measuring {counted(m.total - m.done, "page-screen")}
          </Button>
        )}
        {!going && (
          <Button onClick={() => start.mutate()} disabled={start.isPending}>
            {m.estimated ? "Estimate again" : "Measure again"}
          </Button>
        )}
        <ScreensDialog />
        {children}
      </div>
    </div>
  );
}
