import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { against, bytes, count, counted } from "@/shared/format/figures";
import { Empty, Failed, Loading, Title } from "@/shared/ui/basics";
import { Choice } from "@/shared/ui/choice";
import { useSite } from "@/shared/ui/site-context";
import { Thumbnail } from "@/shared/ui/thumbnail";
import { type Filter, SHOWS, type Sort, withDefaults } from "./library-filter";

const ROW = 52;
const GRID = "grid grid-cols-[64px_minmax(0,1fr)_76px_128px_70px_150px] items-center gap-4 px-2";
const COLUMNS: readonly (readonly [Sort | null, string, string])[] = [
  [null, "", ""],
  ["path", "Image", ""],
  [null, "Format", ""],
  ["pixels", "Pixels", "justify-end"],
  ["pages", "Pages", "justify-end"],
  ["bytes", "Bytes", "justify-end"],
];

/** All images of the capture: sortable, filterable, dense; the state is in the address. */
export function LibraryScreen() {
  const site = useSite();
  const navigate = useNavigate({ from: "/sites/$siteId/library" });
  const filter = withDefaults(useSearch({ from: "/sites/$siteId/library" }));
  const change = (part: Partial<Filter>) =>
    navigate({ search: (old) => ({ ...old, ...part }), replace: true });
  const captureId = site.capture.id;
  const images = useInfiniteQuery({
    queryKey: ["capture", captureId, "images", filter, site.image_cap],
    queryFn: ({ pageParam }) =>
      told(
        api.GET("/api/v1/captures/{capture_id}/images", {
          params: {
            path: { capture_id: captureId },
            query: {
              sort: filter.sort,
              descending: !filter.up,
              search: filter.find,
              format: filter.format,
              show: filter.show,
              after: pageParam,
            },
          },
        }),
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: keepPreviousData,
  });
  const first = images.data?.pages[0];
  const rows = images.data?.pages.flatMap((p) => p.items) ?? [];
  return (
    <div className="flex h-[calc(100vh-110px)] min-h-[420px] flex-col">
      <Title says={first && `${counted(first.total, "image")}, ${bytes(first.total_bytes)} of files.`}>
        Library
      </Title>
      <Filters filter={filter} change={change} />
      {images.isPending && <Loading what="the images" />}
      {images.isError && <Failed error={images.error} again={() => images.refetch()} />}
      {images.data && rows.length === 0 && <Empty>No image is like this. Loosen the filter.</Empty>}
      {rows.length > 0 && (
        <Rows
          rows={rows}
          total={first?.total ?? rows.length}
          filter={filter}
          change={change}
          more={() => images.hasNextPage && !images.isFetchingNextPage && images.fetchNextPage()}
        />
      )}
    </div>
  );
}

type Change = (part: Partial<Filter>) => void;

function Filters({ filter, change }: { filter: Filter; change: Change }) {
  const site = useSite();
  const formats = useQuery({
    queryKey: ["capture", site.capture.id, "formats"],
    queryFn: () =>
      told(
        api.GET("/api/v1/captures/{capture_id}/formats", {
          params: { path: { capture_id: site.capture.id } },
        }),
      ),
  });
  const toggle = (format: string) =>
    change({
      format: filter.format.includes(format)
        ? filter.format.filter((f) => f !== format)
        : [...filter.format, format],
    });
  return (
    <div className="mb-4 flex flex-wrap items-center gap-x-8 gap-y-3">
      <input
        type="search"
        aria-label="Find in paths"
        placeholder="Find in paths"
        defaultValue={filter.find}
        onChange={(e) => change({ find: e.target.value || undefined })}
        className="w-[200px] rounded border border-rule bg-card px-3 py-1.5"
      />
      <Choice label="Show" value={filter.show} choices={SHOWS} onChange={(show) => change({ show })} />
      <fieldset className="flex flex-wrap gap-x-4 gap-y-1">
        <legend className="sr-only">Formats</legend>
        {formats.data?.map((f) => (
          <label key={f.value} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              checked={filter.format.includes(f.value)}
              onChange={() => toggle(f.value)}
              className="accent-thistle"
            />
            {f.value} <span className="figure text-ink-soft">{count(f.count)}</span>
          </label>
        ))}
      </fieldset>
    </div>
  );
}

type RowsProps = {
  rows: Schemas["ImageRow"][];
  total: number;
  filter: Filter;
  change: Change;
  more: () => void;
};

function Rows({ rows, total, filter, change, more }: RowsProps) {
  const frame = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => frame.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const last = virtual.getVirtualItems().at(-1)?.index ?? 0;
  // biome-ignore lint/correctness/useExhaustiveDependencies: asks for more only as the end comes near
  useEffect(() => {
    if (last > rows.length - 40 && rows.length < total) more();
  }, [last, rows.length, total]);
  return (
    <div role="table" aria-label="Images" aria-rowcount={total + 1} className="flex min-h-0 flex-1 flex-col">
      <div role="row" className={`${GRID} border-b border-rule pb-1.5`}>
        {COLUMNS.map(([sort, words, place], i) => (
          <Head key={words || i} sort={sort} words={words} place={place} filter={filter} change={change} />
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
                  className={`${GRID} absolute inset-x-0 border-b border-rule hover:bg-card`}
                  style={{ height: ROW, transform: `translateY(${item.start}px)` }}
                >
                  <Cells image={image} />
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
        words || <span className="sr-only">Picture</span>
      )}
    </span>
  );
}

function Cells({ image }: { image: Schemas["ImageRow"] }) {
  const site = useSite();
  const notes = [
    image.unused && "no page uses it",
    image.copies > 1 && counted(image.copies, "copy", "copies"),
    image.problem,
  ].filter(Boolean);
  return (
    <>
      <span role="cell">
        <Thumbnail captureId={site.capture.id} imageId={image.id} has={image.has_thumbnail} size={42} />
      </span>
      <span role="cell" className="min-w-0">
        <Link
          to="/sites/$siteId/library/$imageId"
          params={{ siteId: String(site.id), imageId: String(image.id) }}
          className="block truncate"
        >
          {image.path}
        </Link>
        {notes.length > 0 && (
          <span className="block truncate text-[12.5px] text-ink-soft">{notes.join("; ")}</span>
        )}
      </span>
      <span role="cell">{image.format}</span>
      <span role="cell" className="figure text-right">
        {image.width ? `${image.width} × ${image.height}` : "–"}
      </span>
      <span role="cell" className="figure text-right">
        {count(image.page_count)}
      </span>
      <span role="cell" className="figure text-right">
        {bytes(image.bytes)}
        {image.over_cap && (
          <span className="block text-[12.5px] text-madder">{against(image.bytes, site.image_cap)}</span>
        )}
      </span>
    </>
  );
}
