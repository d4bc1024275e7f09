/** The site's rules as tables: read, previewed, and changed with a way back. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, told } from "@/shared/api/client";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";
import type { Tables } from "./settings";

export function useTables() {
  const site = useSite();
  return useQuery({
    queryKey: ["site", site.id, "rules"],
    queryFn: () => told(api.GET("/api/v1/sites/{site_id}/rules", { params: { path: { site_id: site.id } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** Holds the site to other rules; a notice takes that back. */
export function useHoldTo() {
  const site = useSite();
  const queries = useQueryClient();
  const say = useNotice();
  const hold = useMutation({
    mutationFn: (body: Tables) =>
      told(api.PUT("/api/v1/sites/{site_id}/rules", { params: { path: { site_id: site.id } }, body })),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["site", site.id, "rules"] });
      void queries.invalidateQueries({ queryKey: ["capture", site.capture.id] });
    },
  });
  const take = (tables: Tables, words: string, after: () => void = () => {}) =>
    hold.mutate(tables, {
      onSuccess: (before) => {
        after();
        say(words, () => hold.mutate(before));
      },
    });
  return { take, error: hold.error, pending: hold.isPending };
}

/** What other rules would change. */
export function usePreview(tables: Tables | null) {
  const site = useSite();
  return useQuery({
    queryKey: ["capture", site.capture.id, "preview", JSON.stringify(tables)],
    queryFn: () =>
      told(
        api.POST("/api/v1/captures/{capture_id}/forecast/preview", {
          params: { path: { capture_id: site.capture.id } },
          body: tables ?? {},
        }),
      ),
    enabled: tables !== null,
    retry: false,
    placeholderData: (old) => old,
  });
}
