import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { against, bytes, counted, less } from "@/shared/format/figures";
import { Button, Empty, Failed, Loading, PathWords } from "@/shared/ui/basics";
import { useOpenImage } from "@/shared/ui/open-image";
import { useSite } from "@/shared/ui/site-context";
import { INKS } from "@/shared/ui/state";
import { TableHead } from "@/shared/ui/table-head";
import { Thumbnail } from "@/shared/ui/thumbnail";
import { lineIndex, Pick, type View } from "@/shared/ui/view";
import { WeightStrip } from "@/shared/ui/weight-strip";
import { ONLY, ORDERS, type SavingsView } from "./savings-view";

type Props = {
  run: number;
  view: View & Partial<SavingsView>;
  change: (part: Partial<SavingsView>) => void;
};

/** Every page before and after on one scale; each leads to the pictures that make up its weight. */
export function PagesSaved({ run, view, change }: Props) {
  const site = useSite();
  const order = view.order ?? "before";
  const only = view.only ?? "";
  const find = view.find ?? "";
  const { screen, tier, part } = view;
  const pages = useInfiniteQuery({
    queryKey: ["run", run, "savings", "pages", screen, tier, part, order, only, find, site],
    queryFn: ({ pageParam }) =>
      told(
        api.GET("/api/v1/runs/{run_id}/savings/pages", {
          params: {
            path: { run_id: run },
            query: { screen, tier, part, order, only, find, after: pageParam },
          },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, every) => {
      const got = every.reduce((sum, one) => sum + one.items.length, 0);
      return got < last.total ? got : undefined;
    },
    placeholderData: (old) => old,
  });
  const rows = pages.data?.pages.flatMap((p) => p.items) ?? [];
  const first = pages.data?.pages[0];
  const scale = Math.max(first?.heaviest ?? 0, 1);
  return (
    <section aria-label="Pages">
      <div className="mb-3 flex flex-wrap items-baseline gap-x-6 gap-y-2 print:hidden">
        <Pick
          label="Which pages"
          value={only}
          choices={ONLY}
          onChange={(next) => change({ only: onlyOf(next) })}
        />
        <Pick
          label="Order"
          value={order}
          choices={ORDERS}
          onChange={(next) => change({ order: orderOf(next) })}
        />
        <label className="flex items-baseline gap-2">
          with
          <input
            type="search"
            value={find}
            onChange={(e) => change({ find: e.target.value })}
            placeholder="part of a path"
            className="field w-48"
          />
        </label>
        {first && <span className="text-ink-soft">{counted(first.total, "page")}</span>}
      </div>
      {pages.isPending && <Loading what="the pages" />}
      {pages.isError && <Failed error={pages.error} again={() => pages.refetch()} />}
      {pages.data && rows.length === 0 && <Empty>No page is like that.</Empty>}
      <ul className="divide-y divide-rule border-y border-rule">
        {rows.map((page) => (
          <PageLine key={page.page_id} page={page} run={run} view={view} scale={scale} />
        ))}
      </ul>
      {pages.hasNextPage && (
        <Button className="mt-4" onClick={() => pages.fetchNextPage()} disabled={pages.isFetchingNextPage}>
          Show more pages
        </Button>
      )}
    </section>
  );
}

const onlyOf = (value: string) => ONLY.find(([key]) => key === value)?.[0] ?? "";
const orderOf = (value: string) => ORDERS.find(([key]) => key === value)?.[0] ?? "before";

type LineProps = { page: Schemas["PageSaved"]; run: number; view: View; scale: number };

function PageLine({ page: p, run, view, scale }: LineProps) {
  const site = useSite();
  const openImage = useOpenImage();
  const [open, setOpen] = useState(false);
  const at = lineIndex(site.connections, view.line);
  const seconds = [p.seconds_before[at] ?? 0, p.seconds_after[at] ?? 0].map((s) => s.toFixed(1));
  return (
    <li className="py-2.5">
      <div className="grid grid-cols-1 items-start gap-x-6 gap-y-1 md:grid-cols-[minmax(150px,230px)_minmax(0,1fr)_260px]">
        <div className="min-w-0">
          <Link
            to="/sites/$siteId/audit/$pageId"
            params={{ siteId: String(site.id), pageId: String(p.page_id) }}
            search={view}
            className="block min-w-0"
          >
            <PathWords path={p.path} />
          </Link>
          <button
            type="button"
            aria-expanded={open}
            onClick={() => setOpen(!open)}
            className="mt-1 min-h-6 text-[12.5px] text-thistle underline print:hidden"
          >
            {open ? "Hide its pictures" : "Show its pictures"}
          </button>
        </div>
        <WeightStrip
          name={p.path}
          total={p.before.bytes}
          segments={p.segments}
          state={p.state_before}
          budget={p.allowed}
          scale={scale}
          after={p.after.bytes}
          onOpen={openImage}
        />
        <p className="figure md:text-right">
          {bytes(p.before.bytes)} → <span className="text-thistle">{bytes(p.after.bytes)}</span>
          <span className={`block text-[12.5px] ${p.state_after === "over" ? INKS.over : "text-ink-soft"}`}>
            {p.state_after === "over"
              ? `still ${against(p.after.bytes, p.allowed)}`
              : less(p.before.bytes, p.after.bytes)}
          </span>
          <span className="block text-[12.5px] text-ink-soft">
            {seconds[0]} → {seconds[1]} s, {p.before.requests} → {counted(p.after.requests, "request")}
          </span>
          {p.measured_after && (
            <span className="block text-[12.5px] text-ink-soft">
              measured {bytes(p.measured_after.bytes)}
            </span>
          )}
          {p.heavier && <span className="block text-[12.5px] text-madder">heavier than before</span>}
        </p>
      </div>
      {open && <Pictures page={p} run={run} view={view} />}
    </li>
  );
}

/** What a page loads, picture by picture, before and after. */
function Pictures({ page, run, view }: { page: Schemas["PageSaved"]; run: number; view: View }) {
  const site = useSite();
  const { screen, tier, part } = view;
  const found = useQuery({
    queryKey: ["run", run, "savings", "page", page.page_id, screen, tier, part, site],
    queryFn: () =>
      told(
        api.GET("/api/v1/runs/{run_id}/savings/pages/{page_id}", {
          params: { path: { run_id: run, page_id: page.page_id }, query: { screen, tier, part } },
        }),
      ),
  });
  if (found.isPending) return <Loading what="its pictures" />;
  if (found.isError) return <Failed error={found.error} again={() => found.refetch()} />;
  const opening = part === "opening";
  const shown = found.data.changes.filter((c) => !opening || c.before?.opening || c.after?.opening);
  return (
    <div className="mt-2 mb-3 overflow-x-auto border-l-2 border-rule pl-4">
      {found.data.needed && <p className="mb-2 text-madder">{found.data.needed}</p>}
      {page.paint_after !== null && page.paint_before !== null && (
        <p className="mb-2 text-ink-soft">
          Largest paint over a connection of 100 Mbit/s: {Math.round(page.paint_before)} →{" "}
          {Math.round(page.paint_after)} ms.
        </p>
      )}
      <table className="w-full border-collapse">
        <TableHead words={["Picture", "before", "after", "saved"]} gap="pr-6" />
        <tbody className="divide-y divide-rule">
          {shown.map((c) => (
            <tr key={`${c.before?.path} ${c.after?.path}`}>
              <td className="py-1.5 pr-6">
                <Picture change={c} />
              </td>
              <Loaded file={c.before} opening={opening} />
              <Loaded file={c.after} opening={opening} />
              <td className="figure py-1.5 pr-6">
                {bytes((c.before?.bytes ?? 0) - (c.after?.bytes ?? 0))}
                {c.reason && <span className="block font-sans text-[12.5px] text-ink-soft">{c.reason}</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Picture({ change: c }: { change: Schemas["ChangeOut"] }) {
  const site = useSite();
  if (c.image_id === null) return <>{c.after ? "new" : ""}</>;
  return (
    <Link
      to="/sites/$siteId/library/$imageId"
      params={{ siteId: String(site.id), imageId: String(c.image_id) }}
      aria-label={c.before?.path}
    >
      <Thumbnail captureId={site.capture.id} imageId={c.image_id} has size={36} />
    </Link>
  );
}

function Loaded({ file, opening }: { file: Schemas["FileLoaded"] | null; opening: boolean }) {
  if (!file) return <td className="py-1.5 pr-6 text-ink-soft">nothing</td>;
  return (
    <td className="py-1.5 pr-6">
      <span className="break-all">{file.path}</span>
      <span className="figure block text-[12.5px] text-ink-soft">
        {bytes(file.bytes)}
        {opening && !file.opening && ", only after scrolling"}
      </span>
    </td>
  );
}
