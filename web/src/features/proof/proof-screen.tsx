import { useInfiniteQuery, useMutation, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useEffect } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { behindDoor } from "@/shared/api/door";
import { siteQuery } from "@/shared/api/queries";
import { count, counted } from "@/shared/format/figures";
import { Facets } from "@/shared/library/facets";
import { type Narrowing, NOT_NARROWED, narrows } from "@/shared/library/narrowing";
import { Button, Empty, Failed, Loading } from "@/shared/ui/basics";
import { Choice } from "@/shared/ui/choice";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";
import { Pick } from "@/shared/ui/view";
import { Judging } from "./judging";
import { Pairs } from "./pairs";
import { type ProofView, SHOWS, wanted, withProofDefaults } from "./proof-view";

const LINES = 200;
const VIEWS = [
  ["one", "One by one"],
  ["pairs", "Pairs"],
] as const;

/** Renditions beside their originals, those that ask for eyes first. */
export function ProofScreen() {
  const site = useSite();
  if (site.run_id === null || site.run_state !== "done")
    return (
      <Empty>
        <h1 className="mb-2">Proof</h1>
        {site.run_id === null
          ? "There is nothing to judge before a run has made it. "
          : "The run is not done yet; what it makes is judged afterwards. "}
        <Link
          to={site.run_id === null ? "/sites/$siteId/treatment" : "/sites/$siteId/runs"}
          params={{ siteId: String(site.id) }}
        >
          {site.run_id === null ? "Plan the treatment" : "See how far it is"}
        </Link>
      </Empty>
    );
  return <Proof key={site.run_id} run={site.run_id} />;
}

function useQueue(run: number, view: ProofView) {
  return useInfiniteQuery({
    queryKey: ["run", run, "proof", "queue", wanted(view)],
    queryFn: ({ pageParam }) =>
      told(
        api.GET("/api/v1/runs/{run_id}/proof", {
          params: {
            path: { run_id: run },
            query: { ...wanted(view), start: pageParam, limit: LINES },
          },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, all) => {
      const loaded = all.reduce((sum, page) => sum + page.items.length, 0);
      return last.items.length && loaded < last.matching ? loaded : undefined;
    },
    placeholderData: (old) => old,
    // While scores are still being made, the order is not final.
    refetchInterval: (query) => {
      const progress = query.state.data?.pages[0]?.progress;
      return progress && progress.looked < progress.total ? 2500 : false;
    },
  });
}

function Proof({ run }: { run: number }) {
  const view = withProofDefaults(useSearch({ from: "/sites/$siteId/proof" }));
  const navigate = useNavigate({ from: "/sites/$siteId/proof" });
  const change = (part: Partial<ProofView>) =>
    navigate({ search: (old) => ({ ...old, ...part }), replace: true });
  const narrow = (part: Partial<Narrowing>) => change({ ...part, image: undefined });
  const queue = useQueue(run, view);
  const rows = queue.data?.pages.flatMap((page) => page.items) ?? [];
  const progress = queue.data?.pages[0]?.progress;
  const matching = queue.data?.pages[0]?.matching ?? 0;
  const at = Math.max(
    0,
    rows.findIndex((row) => row.image_id === view.image),
  );
  const { hasNextPage, fetchNextPage } = queue;
  useEffect(() => {
    if (at > rows.length - 20 && hasNextPage) void fetchNextPage();
  }, [at, rows.length, hasNextPage, fetchNextPage]);
  if (queue.isPending) return <Loading screen what="the proof" />;
  if (queue.isError) return <Failed screen error={queue.error} again={() => queue.refetch()} />;
  const row = rows[at];
  return (
    <div className="flex flex-col md:h-[calc(100vh-100px)]">
      <header className="mb-2 flex flex-wrap items-baseline gap-x-6 gap-y-1">
        <h1>Proof</h1>
        {progress && <Says progress={progress} />}
        {progress && <Anew run={run} progress={progress} view={view} matching={matching} />}
        <span className="ml-auto flex flex-wrap items-baseline gap-x-5 gap-y-1">
          <Choice
            label="Look at them"
            value={view.pairs ? "pairs" : "one"}
            choices={VIEWS}
            onChange={(v) => change({ pairs: v === "pairs" || undefined } as Partial<ProofView>)}
          />
          <Pick
            label="Which images"
            value={view.show}
            choices={SHOWS}
            onChange={(show) => change({ show: show as ProofView["show"], image: undefined })}
          />
          {narrows(view) && !view.pairs && (
            <Button onClick={() => narrow(NOT_NARROWED)}>Show all again</Button>
          )}
          <Send run={run} />
        </span>
      </header>
      {view.pairs ? (
        <div className="grid min-h-0 flex-1 grid-cols-1 gap-6 md:grid-cols-[176px_minmax(0,1fr)]">
          <Facets label="Narrow the proof" filter={view} change={narrow} counts={false} />
          {row ? (
            <Pairs
              rows={rows}
              total={matching}
              more={() => void fetchNextPage()}
              open={(image) => change({ image, pairs: undefined } as Partial<ProofView>)}
            />
          ) : (
            <None total={progress?.total} />
          )}
        </div>
      ) : !row ? (
        <None total={progress?.total} />
      ) : (
        <Judging
          run={run}
          row={row}
          at={at}
          total={matching}
          following={rows[at + 1]}
          go={(step) => {
            const to = rows[Math.min(rows.length - 1, Math.max(0, at + step))];
            if (to) change({ image: to.image_id });
          }}
          goOpen={() => {
            const order = [...rows.slice(at + 1), ...rows.slice(0, at)];
            const to = order.find((one) => one.said === null) ?? order[0];
            if (to) change({ image: to.image_id });
          }}
          show={(image) => change({ image })}
        />
      )}
    </div>
  );
}

function None({ total = 0 }: { total?: number | undefined }) {
  return <Empty>{total ? "No image is among these." : "The run made nothing that could be judged."}</Empty>;
}

function Says({ progress: p }: { progress: Schemas["ProofProgress"] }) {
  return (
    <p className="text-ink-soft" aria-live="polite">
      {count(p.said)} of {counted(p.total, "image")} judged
      {p.held > 0 && `, ${count(p.held)} held`}
      {p.looked < p.total && `; scores: ${count(p.looked)} of ${count(p.total)}`}
    </p>
  );
}

/** Takes the page that is sent to whoever has to agree. */
function Send({ run }: { run: number }) {
  const say = useNotice();
  return (
    <a
      href={behindDoor(`/api/v1/runs/${run}/proof/page`)}
      download
      onClick={() => say("The page is being written; that takes up to half a minute.")}
    >
      Page to send
    </a>
  );
}

type AnewProps = { run: number; progress: Schemas["ProofProgress"]; view: ProofView; matching: number };

/** What follows from many verdicts: making anew what was asked for, and accepting the rest. */
function Anew({ run, progress, view, matching }: AnewProps) {
  const site = useSite();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const say = useNotice();
  const refresh = () => queries.invalidateQueries({ queryKey: ["run", run] });
  const start = useMutation({
    mutationFn: () =>
      told(
        api.POST("/api/v1/captures/{capture_id}/runs", {
          params: { path: { capture_id: site.capture.id } },
          body: { ids: progress.redo, without: [] },
        }),
      ),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: siteQuery(site.id).queryKey });
      void navigate({ to: "/sites/$siteId/runs", params: { siteId: String(site.id) } });
    },
    onError: (error) => say(error.message),
  });
  const takeBack = (images: number[]) =>
    told(
      api.POST("/api/v1/runs/{run_id}/proof/accepted/taken-back", {
        params: { path: { run_id: run } },
        body: { images },
      }),
    );
  const accept = useMutation({
    mutationFn: () =>
      told(
        api.POST("/api/v1/runs/{run_id}/proof/accepted", {
          params: { path: { run_id: run }, query: wanted(view) },
        }),
      ),
    onSuccess: ({ images }) => {
      void refresh();
      say(`${counted(images.length, "image")} accepted.`, () => {
        void takeBack(images).then(refresh);
      });
    },
    onError: (error) => say(error.message),
  });
  const open = progress.total - progress.said;
  return (
    <div className="flex flex-wrap gap-3">
      {progress.redo.length > 0 && (
        <Button tone="main" disabled={start.isPending} onClick={() => start.mutate()}>
          Make {counted(progress.redo.length, "image")} anew
        </Button>
      )}
      {progress.said > 0 &&
        open > 0 &&
        matching > 0 &&
        (view.show === "all" || view.show === "open" || view.show === "asking") && (
          <Button disabled={accept.isPending} onClick={() => accept.mutate()}>
            Accept the rest of these
          </Button>
        )}
    </div>
  );
}
