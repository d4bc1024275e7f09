/** The queries that more than one screen asks, by their keys. */

import { queryOptions } from "@tanstack/react-query";
import { api, told } from "./client";
import { behindDoor } from "./door";

export const sitesQuery = queryOptions({
  queryKey: ["sites"],
  queryFn: () => told(api.GET("/api/v1/sites")),
});

export const vocabularyQuery = queryOptions({
  queryKey: ["vocabulary"],
  queryFn: () => told(api.GET("/api/v1/vocabulary")),
  staleTime: Number.POSITIVE_INFINITY,
});

export const siteQuery = (siteId: number) =>
  queryOptions({
    queryKey: ["site", siteId],
    queryFn: () => told(api.GET("/api/v1/sites/{site_id}", { params: { path: { site_id: siteId } } })),
  });

export const forecastQuery = (captureId: number) =>
  queryOptions({
    queryKey: ["capture", captureId, "forecast"],
    queryFn: () =>
      told(
        api.GET("/api/v1/captures/{capture_id}/forecast", { params: { path: { capture_id: captureId } } }),
      ),
    staleTime: 60_000,
  });

export const decisionsQuery = (captureId: number, ids: number[]) =>
  queryOptions({
    queryKey: ["capture", captureId, "decisions", ids.join(" ")],
    queryFn: () =>
      told(
        api.GET("/api/v1/captures/{capture_id}/decisions", {
          params: { path: { capture_id: captureId }, query: { ids } },
        }),
      ),
    enabled: ids.length > 0,
    staleTime: 30_000,
  });

export const runQuery = (runId: number) =>
  queryOptions({
    queryKey: ["run", runId],
    queryFn: () => told(api.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: runId } } })),
  });

export const checkQuery = (runId: number) =>
  queryOptions({
    queryKey: ["run", runId, "check"],
    queryFn: () => told(api.GET("/api/v1/runs/{run_id}/check", { params: { path: { run_id: runId } } })),
    refetchInterval: (query) => (query.state.data?.going ? 3000 : false),
  });

export const proofQuery = (runId: number) =>
  queryOptions({
    queryKey: ["run", runId, "proof", "progress"],
    queryFn: () =>
      told(api.GET("/api/v1/runs/{run_id}/proof/progress", { params: { path: { run_id: runId } } })),
  });

export const imageQuery = (captureId: number, imageId: number) =>
  queryOptions({
    queryKey: ["capture", captureId, "image", imageId],
    queryFn: () =>
      told(
        api.GET("/api/v1/captures/{capture_id}/images/{image_id}", {
          params: { path: { capture_id: captureId, image_id: imageId } },
        }),
      ),
  });

export const measurementQuery = (captureId: number) =>
  queryOptions({
    queryKey: ["capture", captureId, "measurement"],
    queryFn: () =>
      told(
        api.GET("/api/v1/captures/{capture_id}/measurement", { params: { path: { capture_id: captureId } } }),
      ),
  });

export const findingsQuery = (captureId: number) =>
  queryOptions({
    queryKey: ["capture", captureId, "findings"],
    queryFn: () =>
      told(
        api.GET("/api/v1/captures/{capture_id}/findings", { params: { path: { capture_id: captureId } } }),
      ),
    // While an audit is going on, its end is asked for; the site's frame then refreshes what rests on it.
    refetchInterval: (query) => (query.state.data?.going ? 1500 : false),
  });

export function thumbnailAddress(captureId: number, imageId: number): string {
  return behindDoor(`/api/v1/captures/${captureId}/images/${imageId}/thumbnail`);
}
