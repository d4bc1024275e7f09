import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, told } from "@/shared/api/client";
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
  const going = m?.state === "waiting" || m?.state === "running";
  useProgress("measurements", m?.id, going, (now) => {
    queries.setQueryData(query.queryKey, now);
    // Once measured, the pages are audited again.
    if (!["waiting", "running"].includes(now.state))
      void queries.invalidateQueries({ queryKey: findingsQuery(captureId).queryKey });
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
  const act = useMutation({
    mutationFn: (what: "stop" | "continue") =>
      told(
        what === "stop"
          ? api.POST("/api/v1/measurements/{measurement_id}/stop", {
              params: { path: { measurement_id: m?.id ?? 0 } },
            })
          : api.POST("/api/v1/measurements/{measurement_id}/continue", {
              params: { path: { measurement_id: m?.id ?? 0 } },
            }),
      ),
    ...settled,
  });
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
          <Button onClick={() => act.mutate("stop")}>Stop measuring</Button>
        </div>
      )}
      {m.error && <Failed error={new Error(m.error)} />}
      <div className="flex flex-wrap items-center gap-3">
        {(m.state === "stopped" || m.state === "failed") && (
          <Button onClick={() => act.mutate("continue")}>
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
