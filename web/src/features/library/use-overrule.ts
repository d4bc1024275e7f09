import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, told } from "@/shared/api/client";
import { counted } from "@/shared/format/figures";
import type { Entries } from "@/shared/rules/settings";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";

/** Settings by name (null: as the rules say), or the entries of a rule. */
type Decision = { settings: Schemas["OverrideSettings"] | null } | { entries: Entries };

/** Decides for images against the rules (null: as these say); a notice takes it back. */
export function useOverrule(selection: Schemas["Selection"]): (decision: Decision) => void {
  const site = useSite();
  const captureId = site.capture.id;
  const queries = useQueryClient();
  const say = useNotice();
  const refresh = () => {
    void queries.invalidateQueries({ queryKey: ["site", site.id, "rules"] });
    return queries.invalidateQueries({ queryKey: ["capture", captureId] });
  };
  const restore = useMutation({
    mutationFn: (toml: string) =>
      told(
        api.PUT("/api/v1/sites/{site_id}/rules.toml", {
          params: { path: { site_id: site.id } },
          body: { toml },
        }),
      ),
    onSuccess: refresh,
  });
  const decide = useMutation({
    mutationFn: (decision: Decision) =>
      told(
        api.POST("/api/v1/captures/{capture_id}/overrides", {
          params: { path: { capture_id: captureId } },
          body: { selection, ...decision },
        }),
      ),
    onSuccess: (done) => {
      void refresh();
      say(`Decided for ${counted(done.changed, "image")}; the next run follows it.`, () =>
        restore.mutate(done.toml),
      );
    },
    onError: (error) => say(error.message),
  });
  return decide.mutate;
}
