import { useInfiniteQuery, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { useStopAndGoOn } from "@/shared/api/jobs";
import { runQuery, siteQuery } from "@/shared/api/queries";
import { bytes, count, counted, duration, less, secondsBetween } from "@/shared/format/figures";
import {
  Button,
  buttonLook,
  Empty,
  Fact,
  Failed,
  Loading,
  PathWords,
  Progress,
  Title,
} from "@/shared/ui/basics";
import { Choice } from "@/shared/ui/choice";
import { useSite } from "@/shared/ui/site-context";
import { AsSketched } from "./as-sketched";
import { ForecastAndTruth } from "./forecast-and-truth";

/** The newest run: how far it is, what it saved so far, and what became of every image. */
export function RunScreen() {
  const site = useSite();
  const params = { siteId: String(site.id) };
  const run = useQuery({ ...runQuery(site.run_id ?? 0), enabled: site.run_id !== null });
  if (site.run_id === null) {
    return (
      <Empty>
        Nothing was treated yet.{" "}
        <Link to="/sites/$siteId/treatment" params={params}>
          Plan the treatment
        </Link>
      </Empty>
    );
  }
  if (run.isPending) return <Loading screen what="the run" />;
  if (run.isError) return <Failed screen error={run.error} again={() => run.refetch()} />;
  const r = run.data;
  return (
    <>
      <Title says={says(r)} side={<Actions run={r} />}>
        {headline(r)}
      </Title>
      {r.error && <Failed error={new Error(r.error)} />}
      {r.state === "finishing" && r.to_compare > 0 ? (
        <>
          <Progress done={r.compared} total={r.to_compare} label="Pages and screens compared" />
          <p className="mt-1 text-ink-soft">
            {count(r.compared)} of {count(r.to_compare)} pages and screens compared.
          </p>
        </>
      ) : (
        <Progress
          done={r.done + r.failed + (r.sketching ? r.sketched : 0)}
          total={r.total}
          label={r.sketching ? "Images sketched or treated" : "Images treated"}
        />
      )}
      <dl className="mt-4 mb-8 flex flex-wrap gap-x-12 gap-y-4">
        <Fact name="done">
          {count(r.done + r.failed)} of {count(r.total)}
        </Fact>
        <Fact name="rate">
          {r.rate === null ? "–" : `${r.rate.toFixed(r.rate < 10 ? 1 : 0)} megapixels/s`}
        </Fact>
        {r.started_at && r.finished_at ? (
          <Fact name="took">{duration(secondsBetween(r.started_at, r.finished_at))}</Fact>
        ) : (
          <Fact name="time left">{r.seconds_left === null ? "–" : duration(r.seconds_left)}</Fact>
        )}
        <Fact name={r.going ? "saved so far" : "saved"}>
          <span className="text-thistle">{bytes(r.bytes_before - r.bytes_after)}</span>
          {r.bytes_before > 0 && ` (${less(r.bytes_before, r.bytes_after)})`}
        </Fact>
        <Fact name="failed">{count(r.failed)}</Fact>
        <Fact name="left alone">{count(r.left_alone)}</Fact>
        {r.sketched > 0 && <Fact name="sketched">{count(r.sketched)}</Fact>}
      </dl>
      {r.sketched > 0 && <AsSketched run={r} />}
      {r.state === "done" && <ForecastAndTruth run={r.id} />}
      <Tasks run={r} />
    </>
  );
}

function headline(r: Schemas["Run"]): string {
  if (r.state === "waiting") return "Waiting for its turn";
  if (r.state === "running" && r.sketching) return `Sketching ${counted(r.total, "image")}`;
  if (r.state === "running") return `Treating ${counted(r.total, "image")}`;
  if (r.state === "finishing") return "Comparing the treated pages with the original ones";
  if (r.state === "stopped") return "Stopped";
  if (r.state === "paused") return "Paused: it needs something from you";
  if (r.state === "failed") return "The run could not finish";
  return r.failed ? `Done, but for ${counted(r.failed, "image")}` : "Done";
}

function says(r: Schemas["Run"]): string {
  if (r.state === "finishing")
    return "Every page is loaded in Chromium as it was and as it will be; where a box would change, the image takes a safer form.";
  if (r.state === "running" && r.sketching)
    return "Large photographs get quick files first, so that there is something to see, and all else is made as it stays; then come the files whose look is confirmed.";
  if (r.state === "running") return "You may leave this page or close the browser; the run goes on.";
  if (r.state === "stopped") return "What is finished is kept. Going on takes up the rest.";
  if (r.state === "paused") return "What is finished is kept, and no image has failed. Then go on.";
  if (r.state === "done") return "Every finished file is kept. See what it saves, then take the handover.";
  return "";
}

function Actions({ run }: { run: Schemas["Run"] }) {
  const site = useSite();
  const queries = useQueryClient();
  const act = useStopAndGoOn("runs", run.id, (now) => {
    queries.setQueryData(runQuery(run.id).queryKey, now);
    void queries.invalidateQueries({ queryKey: siteQuery(site.id).queryKey });
  });
  if (run.going) {
    return (
      <Button onClick={act.stop} disabled={act.pending || act.stopping}>
        {act.stopping ? "Stopping …" : "Stop"}
      </Button>
    );
  }
  return (
    <div className="flex flex-wrap gap-3">
      {run.can_go_on && (
        <Button tone="main" onClick={act.goOn} disabled={act.pending}>
          Go on with {counted(run.total - run.done - run.failed, "image")}
        </Button>
      )}
      {run.state === "done" && run.can_be_tried_again > 0 && (
        <Button onClick={act.goOn} disabled={act.pending}>
          Try {counted(run.can_be_tried_again, "failed image")} again
        </Button>
      )}
      {run.state === "done" && (
        <Link to="/sites/$siteId/savings" params={{ siteId: String(site.id) }} className={buttonLook}>
          See the savings
        </Link>
      )}
    </div>
  );
}

type State = Schemas["TaskRow"]["state"];
const STATES = [
  ["done", "Done"],
  ["failed", "Failed"],
  ["waiting", "Waiting"],
  ["left", "Left alone"],
] as const;

function Tasks({ run }: { run: Schemas["Run"] }) {
  const [state, setState] = useState<State>(run.failed ? "failed" : run.sketching ? "waiting" : "done");
  const settled = run.done + run.failed;
  const tasks = useInfiniteQuery({
    queryKey: [
      "run",
      run.id,
      "tasks",
      state,
      run.state === "running" ? Math.floor((settled + run.sketched) / 5) : settled,
    ],
    queryFn: ({ pageParam }) =>
      told(
        api.GET("/api/v1/runs/{run_id}/tasks", {
          params: { path: { run_id: run.id }, query: { state, after: pageParam } },
        }),
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: (old) => old,
  });
  const rows = tasks.data?.pages.flatMap((p) => p.items) ?? [];
  return (
    <section>
      <div className="mb-3">
        <Choice label="Images that are" value={state} choices={STATES} onChange={setState} />
      </div>
      {tasks.isPending && <Loading what="the images" />}
      {tasks.isError && <Failed error={tasks.error} again={() => tasks.refetch()} />}
      {tasks.data && rows.length === 0 && <Empty>No image is in this state.</Empty>}
      <ul className="divide-y divide-rule border-t border-rule">
        {rows.map((task) => (
          <TaskLine key={task.id} task={task} />
        ))}
      </ul>
      {tasks.hasNextPage && (
        <Button className="mt-4" onClick={() => tasks.fetchNextPage()}>
          Show more
        </Button>
      )}
    </section>
  );
}

function TaskLine({ task }: { task: Schemas["TaskRow"] }) {
  const site = useSite();
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_270px] gap-6 py-2">
      <div className="min-w-0">
        <Link
          to="/sites/$siteId/library/$imageId"
          params={{ siteId: String(site.id), imageId: String(task.image_id) }}
          className="block min-w-0"
        >
          <PathWords path={task.path} />
        </Link>
        <span className={`block text-[12.5px] ${task.state === "failed" ? "text-madder" : "text-ink-soft"}`}>
          {task.reason || task.words.join(" ")}
        </span>
      </div>
      <span className="figure text-right">
        {bytes(task.bytes_before)}
        {task.state === "done" && <span className="text-thistle"> → {bytes(task.bytes_after)}</span>}
        {task.sketched && <span className="text-ink-soft"> → about {bytes(task.bytes_after)}, a sketch</span>}
      </span>
    </li>
  );
}
