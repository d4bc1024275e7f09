import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, Outlet, useParams } from "@tanstack/react-router";
import { useEffect, useRef } from "react";
import type { Schemas } from "@/shared/api/client";
import { useProgress } from "@/shared/api/progress";
import {
  checkQuery,
  findingsQuery,
  forecastQuery,
  proofQuery,
  runQuery,
  siteQuery,
  vocabularyQuery,
} from "@/shared/api/queries";
import { bytes, count, counted, less } from "@/shared/format/figures";
import { Failed, Loading } from "@/shared/ui/basics";
import { type OpenSite, SiteProvider } from "@/shared/ui/site-context";
import { VocabularyProvider } from "@/shared/ui/vocabulary";

/** The frame of an open site: the spine of steps at the left, the ledger line at the top. */
export function SiteFrame() {
  const siteId = Number(useParams({ from: "/sites/$siteId" }).siteId);
  const site = useQuery(siteQuery(siteId));
  const queries = useQueryClient();
  const capture = site.data?.capture;
  useProgress("captures", capture?.id, capture?.going ?? false, (now) =>
    queries.setQueryData(siteQuery(siteId).queryKey, (old) => old && { ...old, capture: now }),
  );
  useProgress("runs", site.data?.run_id ?? undefined, site.data?.run_going ?? false, (now) =>
    queries.setQueryData(runQuery(now.id).queryKey, now),
  );
  useFreshAudit(siteId, capture?.state === "done" ? capture.id : undefined);
  const vocabulary = useQuery(vocabularyQuery);
  const error = site.error ?? vocabulary.error;
  if (error) {
    const again = () => Promise.all([site.refetch(), vocabulary.refetch()]);
    return (
      <main className="p-8">
        <Failed screen error={error} again={again} />
        <p className="mt-4">
          <Link to="/">Go to the sites</Link>
        </p>
      </main>
    );
  }
  if (!site.data || !vocabulary.data) return <Loading screen what="the site" />;
  if (!site.data.capture) return <Loading what="the capture" />;
  const open = site.data as OpenSite;
  return (
    <VocabularyProvider value={vocabulary.data}>
      <SiteProvider value={open}>
        <div className="grid min-h-screen grid-cols-1 print:block grid-rows-[auto_auto_1fr] md:grid-cols-[196px_minmax(0,1fr)] md:grid-rows-[auto_1fr]">
          <Spine site={open} />
          <LedgerLine site={open} />
          <main className="min-w-0 px-4 py-7 md:px-8">
            <Outlet />
          </main>
        </div>
      </SiteProvider>
    </VocabularyProvider>
  );
}

/** Roles, findings and counts rest on the audit: when one ends, they are asked for anew. */
function useFreshAudit(siteId: number, captureId: number | undefined) {
  const queries = useQueryClient();
  const audit = useQuery({ ...findingsQuery(captureId ?? 0), enabled: captureId !== undefined });
  const busy = audit.data?.going ?? false;
  const wasBusy = useRef(false);
  useEffect(() => {
    if (wasBusy.current && !busy) {
      void queries.invalidateQueries({ queryKey: ["capture", captureId] });
      void queries.invalidateQueries({ queryKey: siteQuery(siteId).queryKey });
    }
    wasBusy.current = busy;
  }, [busy, captureId, siteId, queries]);
}

function Spine({ site }: { site: OpenSite }) {
  const ready = site.capture.state === "done";
  const forecast = useQuery({ ...forecastQuery(site.capture.id), enabled: ready });
  const run = useQuery({ ...runQuery(site.run_id ?? 0), enabled: site.run_id !== null });
  const done = site.run_state === "done" && site.run_id !== null;
  const check = useQuery({ ...checkQuery(site.run_id ?? 0), enabled: done });
  const proof = useQuery({ ...proofQuery(site.run_id ?? 0), enabled: done });
  const unread = site.capture.state === "failed" ? "could not be read" : "not read yet";
  const treated = site.ledger?.after != null;
  const steps = [
    ["capture", "Capture", captureSays(site.capture)],
    ["audit", "Audit", ready ? auditSays(site) : unread],
    ["library", "Library", ready ? counted(site.capture.images, "image") : unread],
    [
      "treatment",
      "Treatment",
      forecast.data ? `${count(forecast.data.images)} to treat` : ready ? "being planned" : unread,
    ],
    ["runs", "Runs", run.data ? runSays(run.data) : "none yet"],
    ["proof", "Proof", proof.data ? proofSays(proof.data) : "after a run"],
    ["savings", "Savings", treated ? less(site.ledger?.before ?? 0, site.ledger?.after ?? 0) : "after a run"],
    ["handover", "Handover", handoverSays(treated, check.data ?? null, site.pictures_alone)],
  ] as const;
  return (
    <nav
      aria-label="Steps"
      className="border-b border-rule bg-card px-4 py-3 md:sticky print:hidden md:top-0 md:row-span-2 md:h-screen md:overflow-y-auto md:border-r md:border-b-0 md:py-6"
    >
      <Link to="/" className="text-ink-soft no-underline hover:text-ink">
        ← Sites
      </Link>
      <p className="my-1 font-serif text-[19px] leading-tight break-words md:mt-3 md:mb-6">{site.name}</p>
      <ol className="flex flex-wrap gap-x-5 md:block md:space-y-1">
        {steps.map(([path, words, says]) => (
          <li key={path}>
            <Link
              to={`/sites/$siteId/${path}`}
              params={{ siteId: String(site.id) }}
              className="block border-b-2 border-transparent py-1.5 no-underline hover:border-rule data-[status=active]:border-thistle md:-mx-2 md:border-b-0 md:border-l-2 md:px-2 md:data-[status=active]:bg-paper"
            >
              <span className="block font-semibold">{words}</span>
              <span className="hidden min-h-[1.3em] text-[12.5px] text-ink-soft md:block">{says}</span>
            </Link>
          </li>
        ))}
      </ol>
    </nav>
  );
}

function proofSays(progress: Schemas["ProofProgress"]): string {
  return progress.total ? `${count(progress.said)} of ${count(progress.total)} judged` : "nothing to judge";
}

function auditSays(site: OpenSite): string {
  if (site.pictures_alone)
    return `${counted(site.capture.images, "picture")}, ${site.ledger?.images_over_cap ?? 0} heavy`;
  return `${counted(site.capture.pages, "page")}, ${site.ledger?.pages_over ?? 0} over`;
}

function handoverSays(treated: boolean, check: Schemas["Check"] | null, alone: boolean): string {
  if (!treated) return "after a run";
  if (!check && alone) return "ready";
  if (!check) return "not checked";
  if (check.going) return `${count(check.done)} of ${count(check.total)} checked`;
  if (check.state !== "done" || !check.current) return "check it again";
  return check.failed ? `${count(check.failed)} failed the check` : "checked";
}

function captureSays(capture: Schemas["Capture"]): string {
  if (capture.state === "done") return counted(capture.files_total, "file");
  if (capture.state === "failed") return "failed";
  if (capture.state === "stopped") return "stopped";
  return capture.files_total ? `${capture.files_done} of ${capture.files_total}` : "reading";
}

function runSays(run: Schemas["Run"]): string {
  if (run.state === "running") return `${run.done + run.failed} of ${run.total}`;
  const failed = run.failed ? `, ${run.failed} failed` : "";
  return `${{ waiting: "waiting", finishing: "comparing pages", done: "done", stopped: "stopped", paused: "paused", failed: "failed" }[run.state]}${failed}`;
}

/** Bytes before, after, saved, and the pages over budget; always in sight. */
function LedgerLine({ site }: { site: OpenSite }) {
  const ledger = site.ledger;
  return (
    <section
      aria-label="Ledger"
      className="flex flex-wrap items-baseline gap-x-8 gap-y-1 border-b border-rule bg-paper px-4 py-3 md:sticky md:top-0 md:z-10 md:px-8"
    >
      {ledger ? (
        <>
          <Entry name="before">{bytes(ledger.before)}</Entry>
          <Entry name="after" tone="text-thistle">
            {ledger.after === null ? "not treated yet" : bytes(ledger.after)}
          </Entry>
          {ledger.after !== null && (
            <Entry name="saved">
              {bytes(ledger.before - ledger.after)} ({less(ledger.before, ledger.after)})
            </Entry>
          )}
          {!site.pictures_alone && (
            <Entry name="pages over budget">
              {ledger.pages_over} of {ledger.pages}
              {ledger.pages_over_after !== null && (
                <span className="text-thistle"> → {ledger.pages_over_after}</span>
              )}
            </Entry>
          )}
          <span className="ml-auto text-[12px] text-ink-soft">kB = 1,000 bytes</span>
        </>
      ) : (
        <span className="text-ink-soft">The ledger fills once the site is read.</span>
      )}
    </section>
  );
}

function Entry({ name, tone = "", children }: { name: string; tone?: string; children: React.ReactNode }) {
  return (
    <span>
      <span className="mr-1.5 text-ink-soft">{name}</span>
      <span className={`figure ${tone}`}>{children}</span>
    </span>
  );
}
