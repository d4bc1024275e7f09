/** Stopping a job and going on with it, the same for every kind of job. */
import { useMutation } from "@tanstack/react-query";
import { useNotice } from "@/shared/ui/notices";
import { api, type Schemas, told } from "./client";

type Jobs = {
  captures: Schemas["Capture"];
  runs: Schemas["Run"];
  measurements: Schemas["Measurement"];
  checks: Schemas["Check"];
};
export type JobKind = keyof Jobs;
type Act = "stop" | "continue";

const CALLS: { [K in JobKind]: (id: number, act: Act) => Promise<Jobs[K]> } = {
  captures: (capture_id, act) => {
    const params = { params: { path: { capture_id } } };
    return told(
      act === "stop"
        ? api.POST("/api/v1/captures/{capture_id}/stop", params)
        : api.POST("/api/v1/captures/{capture_id}/continue", params),
    );
  },
  runs: (run_id, act) => {
    const params = { params: { path: { run_id } } };
    return told(
      act === "stop"
        ? api.POST("/api/v1/runs/{run_id}/stop", params)
        : api.POST("/api/v1/runs/{run_id}/continue", params),
    );
  },
  measurements: (measurement_id, act) => {
    const params = { params: { path: { measurement_id } } };
    return told(
      act === "stop"
        ? api.POST("/api/v1/measurements/{measurement_id}/stop", params)
        : api.POST("/api/v1/measurements/{measurement_id}/continue", params),
    );
  },
  checks: (check_id, act) => {
    const params = { params: { path: { check_id } } };
    return told(
      act === "stop"
        ? api.POST("/api/v1/checks/{check_id}/stop", params)
        : api.POST("/api/v1/checks/{check_id}/continue", params),
    );
  },
};

/** The two actions on a job; `settle` takes what it is then. `stopping`: it was asked to and has not stopped yet. */
export function useStopAndGoOn<K extends JobKind>(kind: K, id: number, settle: (now: Jobs[K]) => unknown) {
  const say = useNotice();
  const act = useMutation({
    mutationFn: (what: Act) => CALLS[kind](id, what),
    onSuccess: settle,
    onError: (error) => say(error.message),
  });
  return {
    stop: () => act.mutate("stop"),
    goOn: () => act.mutate("continue"),
    pending: act.isPending,
    stopping: act.variables === "stop" && !act.isError,
  };
}
