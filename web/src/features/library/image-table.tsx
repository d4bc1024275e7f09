import { useQueries } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import type { Schemas } from "@/shared/api/client";
import { decisionsQuery } from "@/shared/api/queries";
import { bytes, count, counted } from "@/shared/format/figures";
import { PathWords } from "@/shared/ui/basics";
import { useSite } from "@/shared/ui/site-context";
import { Thumbnail } from "@/shared/ui/thumbnail";
import { decisionWords } from "./decision";
import type { Filter, Sort } from "./library-filter";
import type { Selection } from "./selection";

const ROW = 68;
const STRETCH = 50;
// On narrow screens role, pixels and pages are left to the image's own screen.
const GRID = "grid grid-cols-[20px_44px_minmax(0,1fr)_84px] items-center gap-3 px-2";
const OF_SITES = `${GRID} md:grid-cols-[20px_64px_minmax(0,1fr)_92px_104px_48px_104px]`;
const OF_PICTURES = `${GRID} md:grid-cols-[20px_64px_minmax(0,1fr)_92px_104px_104px]`;
const WIDE = "hidden md:block";
const COLUMNS: readonly (readonly [Sort | null, string, string])[] = [
  ["path", "Image", ""],
  [null, "Role, kind", "max-md:hidden"],
  ["pixels", "Pixels", "justify-end max-md:hidden"],
  ["pages", "Pages", "justify-end max-md:hidden"],
  ["bytes", "Bytes", "justify-end"],
];

type Change = (part: Partial<Filter>) => void;
type Props = {
  rows: Schemas["ImageRow"][];
  total: number;
  filter: Filter;
  change: Change;
  selection: Selection;
  more: () => void;
};

/** The dense table; only the rows in view exist. */
export function ImageTable({ rows, total, filter, change, selection, more }: Props) {
  const { pictures_alone } = useSite();
  // No page shows pictures alone.
  const columns = pictures_alone ? COLUMNS.filter(([, words]) => words !== "Pages") : COLUMNS;
  const grid = pictures_alone ? OF_PICTURES : OF_SITES;
  const frame = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => frame.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const last = virtual.getVirtualItems().at(-1)?.index ?? 0;
  const decided = useDecisions(rows, last);
  // biome-ignore lint/correctness/useExhaustiveDependencies: asks for more only as the end comes near
  useEffect(() => {
    if (last > rows.length - 60 && rows.length < total) more();
  }, [last, rows.length, total]);
  return (
    <div role="table" aria-label="Images" aria-rowcount={total + 1} className="flex min-h-0 flex-1 flex-col">
      <div role="row" className={`${grid} border-b border-rule pb-1.5`}>
        <span role="columnheader">
          <input
            type="checkbox"
            aria-label="Select all that the filter shows"
            checked={selection.count > 0 && selection.count === total}
            onChange={(e) => (e.target.checked ? selection.everything() : selection.nothing())}
          />
        </span>
        <span role="columnheader">
          <span className="sr-only">Picture</span>
        </span>
        {columns.map(([sort, words, place]) => (
          <Head key={words} sort={sort} words={words} place={place} filter={filter} change={change} />
        ))}
      </div>
      <div ref={frame} role="rowgroup" className="min-h-0 flex-1 overflow-y-auto" tabIndex={0}>
        <div style={{ height: virtual.getTotalSize() }} className="relative" role="presentation">
          {virtual.getVirtualItems().map((item) => {
            const image = rows[item.index];
            return (
              image && (
                <div
                  key={image.id}
                  role="row"
                  aria-rowindex={item.index + 2}
                  className={`${grid} absolute inset-x-0 border-b border-rule hover:bg-card`}
                  style={{ height: ROW, transform: `translateY(${item.start}px)` }}
                >
                  <Cells image={image} selection={selection} decision={decided.get(image.id)} />
                </div>
              )
            );
          })}
        </div>
      </div>
    </div>
  );
}

type HeadProps = { sort: Sort | null; words: string; place: string; filter: Filter; change: Change };

function Head({ sort, words, place, filter, change }: HeadProps) {
  const chosen = sort !== null && filter.sort === sort;
  return (
    <span
      role="columnheader"
      aria-sort={chosen ? (filter.up ? "ascending" : "descending") : undefined}
      className={`flex text-ink-soft ${place}`}
    >
      {sort ? (
        <button
          type="button"
          onClick={() => change({ sort, up: chosen ? !filter.up : sort === "path" })}
          className={chosen ? "font-semibold text-ink" : "hover:text-ink"}
        >
          {words} {chosen ? (filter.up ? "↑" : "↓") : ""}
        </button>
      ) : (
        words
      )}
    </span>
  );
}

/** What the rules make of the images in view, a stretch of rows at a time. */
function useDecisions(rows: Schemas["ImageRow"][], last: number): Map<number, Schemas["Decision"]> {
  const site = useSite();
  const stretches = [Math.floor(last / STRETCH) - 1, Math.floor(last / STRETCH)].filter((n) => n >= 0);
  const found = useQueries({
    queries: stretches.map((n) =>
      decisionsQuery(
        site.capture.id,
        rows.slice(n * STRETCH, (n + 1) * STRETCH).map((row) => row.id),
      ),
    ),
  });
  return new Map(found.flatMap((f) => f.data ?? []).map((decision) => [decision.image_id, decision]));
}

type CellsProps = {
  image: Schemas["ImageRow"];
  selection: Selection;
  decision: Schemas["Decision"] | undefined;
};

function Cells({ image, selection, decision }: CellsProps) {
  const site = useSite();
  const notes = [
    image.unused && "no page uses it",
    image.copies > 1 && counted(image.copies, "copy", "copies"),
    image.problem,
    ...image.findings.filter((f) => !QUIET.has(f)).map((f) => f.replaceAll("-", " ")),
  ].filter(Boolean);
  return (
    <>
      <span role="cell">
        <input
          type="checkbox"
          aria-label={`Select ${image.path}`}
          checked={selection.has(image.id)}
          onChange={(e) => selection.toggle([image.id], e.target.checked)}
        />
      </span>
      <span role="cell">
        <Thumbnail captureId={site.capture.id} imageId={image.id} has={image.has_thumbnail} size={42} />
      </span>
      <span role="cell" className="min-w-0">
        <Link
          to="/sites/$siteId/library/$imageId"
          params={{ siteId: String(site.id), imageId: String(image.id) }}
          className="block min-w-0"
        >
          <PathWords path={image.path} />
        </Link>
        {decision && (
          <span className="block truncate text-[12.5px]" title={decisionWords(decision)}>
            {decisionWords(decision)}
          </span>
        )}
        {notes.length > 0 && (
          <span className="block truncate text-[12.5px] text-ink-soft" title={notes.join("; ")}>
            {notes.join("; ")}
          </span>
        )}
      </span>
      <span role="cell" className={`min-w-0 ${WIDE}`}>
        <span className="block truncate">{image.role || "–"}</span>
        <span className="block truncate text-[12.5px] text-ink-soft">{image.kind || image.format}</span>
      </span>
      <span role="cell" className={`figure text-right ${WIDE}`}>
        {image.width ? `${image.width} × ${image.height}` : "–"}
      </span>
      {!site.pictures_alone && (
        <span role="cell" className={`figure text-right ${WIDE}`}>
          {count(image.page_count)}
        </span>
      )}
      <span role="cell" className={`figure text-right ${image.over_cap ? "text-madder" : ""}`}>
        {bytes(image.bytes)}
        <span className="block text-[12.5px] text-ink-soft">
          {image.over_cap ? "over its cap" : image.format}
        </span>
      </span>
    </>
  );
}

/** Findings that the row says in other words already. */
const QUIET = new Set(["over-cap", "unused-file", "exact-duplicate", "unreadable"]);
