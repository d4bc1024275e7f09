import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { siteQuery } from "@/shared/api/queries";
import { fileName } from "@/shared/format/figures";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";
import { SAID_WORDS, type Said } from "./proof-view";

type Row = Schemas["ProofRow"];
type Change = { row: Row; said: Said | null; note: string; settings?: Schemas["OverrideSettings"] };
const STEP = 5;
const LEAST = 30;
const MOST = 95;

/** The look that a rendition is to be made anew with. */
export function looks(row: Row, said: "tighter" | "lighter"): number {
  const now = row.goal || Math.round(row.score ?? 70);
  return Math.min(MOST, Math.max(LEAST, now + (said === "tighter" ? STEP : -STEP)));
}

/** Says something of an image; what is to be made anew becomes a decision against the rules. A notice takes it back, and
 * so does undo, one after the other; the image is shown again then. */
export function useVerdict(run: number, show: (imageId: number) => void) {
  const site = useSite();
  const queries = useQueryClient();
  const say = useNotice();
  const undoings = useRef<(() => Promise<void>)[]>([]);
  const refresh = () => {
    void queries.invalidateQueries({ queryKey: ["run", run] });
    void queries.invalidateQueries({ queryKey: siteQuery(site.id).queryKey });
  };
  const put = (row: Row, said: Said | null, note: string) =>
    told(
      api.PUT("/api/v1/runs/{run_id}/proof/{image_id}", {
        params: { path: { run_id: run, image_id: row.image_id } },
        body: { said, note },
      }),
    );
  const overrule = (row: Row, settings: Schemas["OverrideSettings"]) =>
    told(
      api.POST("/api/v1/captures/{capture_id}/overrides", {
        params: { path: { capture_id: site.capture.id } },
        body: { selection: { ids: [row.image_id], without: [] }, settings },
      }),
    );
  const restore = (toml: string) =>
    told(
      api.PUT("/api/v1/sites/{site_id}/rules.toml", {
        params: { path: { site_id: site.id } },
        body: { toml },
      }),
    );
  const takeBack = (undo: () => Promise<void>) => void undo().catch((error: Error) => say(error.message));
  const judge = useMutation({
    mutationFn: async ({ row, said, note, settings }: Change) => {
      const asks = said === "tighter" || said === "lighter";
      const rules = asks ? await overrule(row, settings ?? { fidelity: looks(row, said) }) : null;
      return { verdict: await put(row, said, note), rules };
    },
    onSuccess: ({ verdict, rules }, { row, said }) => {
      refresh();
      const undo = async () => {
        undoings.current = undoings.current.filter((one) => one !== undo);
        show(row.image_id);
        await put(row, verdict.before, verdict.note_before);
        const before = rules?.toml ?? verdict.rules_before;
        if (before != null) await restore(before);
        refresh();
      };
      undoings.current.push(undo);
      const words = said ? SAID_WORDS[said] : "noted";
      say(`${fileName(row.path)} is ${words}.`, () => takeBack(undo));
    },
    onError: (error) => say(error.message),
  });
  const undo = () => {
    const newest = undoings.current.at(-1);
    if (newest) takeBack(newest);
    else say("There is no verdict to take back.");
  };
  return { judge: judge.mutate, undo };
}
