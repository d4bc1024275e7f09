import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { useStopAndGoOn } from "@/shared/api/jobs";
import { useProgress } from "@/shared/api/progress";
import { checkQuery, siteQuery } from "@/shared/api/queries";
import { bytes, count, counted, duration } from "@/shared/format/figures";
import { Button, Empty, Failed, Loading, Progress } from "@/shared/ui/basics";
import { Choice } from "@/shared/ui/choice";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";
import { PagePictures } from "./page-pictures";

/** The handover held against the original in a browser: asked for, watched, and what it found. */
export function Check({ run }: { run: number }) {
  const queries = useQueryClient();
  const say = useNotice();
  const query = checkQuery(run);
  const check = useQuery(query);
  const c = check.data;
  const keep = (now: Schemas["Check"]) => queries.setQueryData(query.queryKey, now);
  useProgress("checks", c?.id, c?.going ?? false, keep);
  const start = useMutation({
    mutationFn: () => told(api.POST("/api/v1/runs/{run_id}/checks", { params: { path: { run_id: run } } })),
    onSuccess: keep,
    onError: (error) => say(error.message),
  });
  const act = useStopAndGoOn("checks", c?.id ?? 0, keep);
  return (
    <section aria-label="Check">
      {check.isPending && <Loading what="the check" />}
      {check.isError && <Failed error={check.error} again={() => check.refetch()} />}
      {check.data !== undefined && <p className="mb-3 max-w-[80ch]">{stands(c ?? null)}</p>}
      {c?.error && <Failed error={new Error(c.error)} />}
      {c?.going && (
        <div className="mb-3 flex flex-wrap items-center gap-4">
          <div className="w-[280px]">
            <Progress done={c.done} total={c.total} label="Loads of pages checked" />
          </div>
          <span className="figure">
            {count(c.done)} of {count(c.total)}
            {c.seconds_left !== null && `, about ${duration(c.seconds_left)} left`}
          </span>
          <Button onClick={act.stop} disabled={act.pending || act.stopping}>
            {act.stopping ? "Stopping …" : "Stop checking"}
          </Button>
        </div>
      )}
      {check.data !== undefined && !c?.going && (
        <div className="mb-4 flex flex-wrap gap-3">
          {c?.can_go_on && (
            <Button onClick={act.goOn} disabled={act.pending}>
              Go on with {counted(c.total - c.done, "load")}
            </Button>
          )}
          <Button onClick={() => start.mutate()} disabled={start.isPending}>
            {c ? "Check again" : "Check in a browser"}
          </Button>
        </div>
      )}
      {c && c.done > 0 && <Loads check={c} />}
    </section>
  );
}

/** In words, whether the handover was checked and what came of it. */
function stands(c: Schemas["Check"] | null): string {
  if (!c)
    return "Not checked yet. A check loads every page in Chromium as it was and as it will be, on every screen and for visitors of every kind, and compares boxes, pictures, bytes, errors and the largest paint.";
  if (c.going)
    return "Every page is loaded as it was and as it will be. You may leave this screen; the check goes on.";
  const passed = `${count(c.done - c.failed)} of ${counted(c.done, "load")} of pages passed`;
  const unsure = c.unsure ? ` ${count(c.unsure)} are of pages that are never twice the same.` : "";
  const where = ` (${c.screens.join(", ")}; ${c.tiers.join(", ")})`;
  if (c.can_go_on) return `The check did not come to its end. ${passed} until then.${unsure}`;
  if (!c.current) return `The handover has changed since its last check. ${passed} then; check it again.`;
  const when = c.finished_at ? `Checked ${new Date(c.finished_at).toLocaleString()}: ` : "";
  return `${when}${passed}${where}.${unsure}`;
}

const WHICH = [
  ["failed", "What failed"],
  ["all", "Everything"],
] as const;

function Loads({ check }: { check: Schemas["Check"] }) {
  const [which, setWhich] = useState<(typeof WHICH)[number][0]>("failed");
  const loads = useInfiniteQuery({
    queryKey: ["check", check.id, "loads", which, check.going ? Math.floor(check.done / 8) : check.done],
    queryFn: ({ pageParam }) =>
      told(
        api.GET("/api/v1/checks/{check_id}/loads", {
          params: { path: { check_id: check.id }, query: { which, after: pageParam, limit: 50 } },
        }),
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (old) => old,
  });
  const rows = loads.data?.pages.flatMap((p) => p.items) ?? [];
  return (
    <>
      <Choice label="Loads shown" value={which} choices={WHICH} onChange={setWhich} />
      {loads.isPending && <Loading what="what was checked" />}
      {loads.isError && <Failed error={loads.error} again={() => loads.refetch()} />}
      {loads.data && rows.length === 0 && (
        <div className="mt-3">
          <Empty>Nothing failed{check.going ? " so far" : ""}.</Empty>
        </div>
      )}
      <ul className="mt-3 divide-y divide-rule border-t border-rule empty:border-t-0">
        {rows.map((load) => (
          <Load key={load.id} load={load} check={check} />
        ))}
      </ul>
      {loads.hasNextPage && (
        <Button className="mt-3" onClick={() => loads.fetchNextPage()}>
          Show more
        </Button>
      )}
    </>
  );
}

/** One page on one screen for one kind of visitor. */
function Load({ load, check }: { load: Schemas["CheckedLoad"]; check: Schemas["Check"] }) {
  const [open, setOpen] = useState(false);
  const paint = load.vitals_before && load.vitals_after;
  return (
    <li className="py-2">
      <details onToggle={(event) => setOpen(event.currentTarget.open)}>
        <summary className="min-h-6 cursor-pointer">
          <span className="figure break-all">{load.path}</span> on {load.screen}, {load.tier}:{" "}
          {load.failed ? (
            <strong className="text-madder">{counted(load.wrong.length, "fault")}</strong>
          ) : load.sure ? (
            "passed"
          ) : (
            "not all of it can be compared"
          )}
          <span className="figure text-ink-soft">
            {" "}
            {bytes(load.before)} → {bytes(load.after)}
          </span>
        </summary>
        <div className="my-2 pl-5">
          <p className="text-ink-soft">
            {load.score === null
              ? "Its picture was not judged"
              : `Its picture scores ${Math.round(load.score)} of 100`}
            {load.foretold !== null && `; ${bytes(load.foretold)} foretold`}
            {paint &&
              `; largest paint after ${count(Math.round(load.vitals_before?.milliseconds ?? 0))} ms before and ${count(Math.round(load.vitals_after?.milliseconds ?? 0))} ms now`}
            .
          </p>
          {open && load.has_pictures && <PagePictures check={check.id} load={load} />}
        </div>
      </details>
      {load.wrong.map((wrong) => (
        <div key={wrong.words} className="pl-5">
          <p>{wrong.words}</p>
          {wrong.placed.map((image) => (
            <Answers key={image.at} check={check} path={load.path} image={image} />
          ))}
        </div>
      ))}
    </li>
  );
}

/** What can be done about an image that a fault is about; both can be undone. */
function Answers({
  check,
  path,
  image,
}: {
  check: Schemas["Check"];
  path: string;
  image: Schemas["PlacedImage"];
}) {
  const site = useSite();
  const queries = useQueryClient();
  const say = useNotice();
  const refresh = () => {
    void queries.invalidateQueries({ queryKey: ["run", check.run_id] });
    void queries.invalidateQueries({ queryKey: siteQuery(site.id).queryKey });
  };
  const params = { path: { run_id: check.run_id } };
  const undo = useMutation({
    mutationFn: () => told(api.DELETE("/api/v1/runs/{run_id}/taken-back", { params })),
    onSuccess: () => {
      refresh();
      say("Undone.");
    },
    onError: (error) => say(error.message),
  });
  const answer = useMutation({
    mutationFn: (how: "safer" | "leave") =>
      told(api.POST("/api/v1/runs/{run_id}/taken-back", { params, body: { path, at: image.at, how } })),
    onSuccess: (_, how) => {
      refresh();
      const done = how === "leave" ? "stays as it was" : "takes a safer form";
      say(`${image.path} ${done} on ${path}. Check again to see what comes of it.`, () => undo.mutate());
    },
    onError: (error) => say(error.message),
  });
  return (
    <div className="my-1 flex flex-wrap items-center gap-3">
      <span className="text-ink-soft">
        Line {image.line}: <span className="figure break-all">{image.path}</span>
      </span>
      <Button onClick={() => answer.mutate("safer")} disabled={answer.isPending}>
        Use a safer form
      </Button>
      <Button onClick={() => answer.mutate("leave")} disabled={answer.isPending}>
        Leave this image alone
      </Button>
    </div>
  );
}
