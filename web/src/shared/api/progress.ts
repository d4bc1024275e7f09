import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import type { Schemas } from "./client";
import { behindDoor } from "./door";
import type { JobKind } from "./jobs";

/**
 * Watches a job by server-sent events and puts what comes into the query of that key.
 * The browser reconnects by itself; at the end, everything that shows the site is asked anew.
 */
export function useProgress(
  kind: JobKind,
  id: number | undefined,
  going: boolean,
  seen: (now: Schemas["Run"] & Schemas["Capture"] & Schemas["Measurement"] & Schemas["Check"]) => void,
): void {
  const queries = useQueryClient();
  // biome-ignore lint/correctness/useExhaustiveDependencies: `seen` may be a new function each time
  useEffect(() => {
    if (!id || !going) return;
    const events = new EventSource(behindDoor(`/api/v1/${kind}/${id}/events`));
    events.addEventListener("progress", (event) => {
      const now = JSON.parse(event.data);
      seen(now);
      if (!now.going) {
        events.close();
        void queries.invalidateQueries();
      }
    });
    return () => events.close();
  }, [kind, id, going, queries]);
}
