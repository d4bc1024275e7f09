import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { api, told } from "@/shared/api/client";
import { bytes, counted } from "@/shared/format/figures";
import { Facets } from "@/shared/library/facets";
import { NOT_NARROWED } from "@/shared/library/narrowing";
import { Empty, Failed, Loading, Title } from "@/shared/ui/basics";
import { useSite } from "@/shared/ui/site-context";
import { BulkBar } from "./bulk-bar";
import { ContactSheet } from "./contact-sheet";
import { ImageTable } from "./image-table";
import { type Filter, SHOWS, type Show, wanted, withDefaults } from "./library-filter";
import { useSelection } from "./selection";

/** All images of the capture: filtered by facets, selected in bulk, as a table or a contact sheet. */
export function LibraryScreen() {
  const site = useSite();
  const navigate = useNavigate({ from: "/sites/$siteId/library" });
  const filter = withDefaults(useSearch({ from: "/sites/$siteId/library" }));
  const change = (part: Partial<Filter>) =>
    navigate({ search: (old) => ({ ...old, all: undefined, ...part }), replace: true });
  const captureId = site.capture.id;
  const { view, all, ...asked } = filter;
  const images = useInfiniteQuery({
    queryKey: ["capture", captureId, "images", asked],
    queryFn: ({ pageParam }) =>
      told(
        api.GET("/api/v1/captures/{capture_id}/images", {
          params: {
            path: { capture_id: captureId },
            query: { ...wanted(filter), sort: filter.sort, descending: !filter.up, after: pageParam },
          },
        }),
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
    placeholderData: keepPreviousData,
  });
  const first = images.data?.pages[0];
  const rows = images.data?.pages.flatMap((p) => p.items) ?? [];
  const total = first?.total ?? rows.length;
  const selection = useSelection(filter, total, all);
  const more = () => {
    if (images.hasNextPage && !images.isFetchingNextPage) void images.fetchNextPage();
  };
  return (
    <div className="flex flex-col md:h-[calc(100vh-110px)] md:min-h-[460px]">
      <Title says={first && `${counted(first.total, "image")}, ${bytes(first.total_bytes)} of files.`}>
        Library
      </Title>
      <div className="grid min-h-0 flex-1 grid-cols-1 gap-6 md:grid-cols-[176px_minmax(0,1fr)]">
        <Facets
          label="Narrow the library"
          filter={filter}
          change={change}
          narrowsMore={filter.show !== "all"}
          showAll={() => change({ ...NOT_NARROWED, show: undefined })}
        >
          <label className="block">
            <span className="mb-1 block text-ink-soft">State</span>
            <select
              value={filter.show}
              onChange={(e) => change({ show: e.target.value as Show })}
              className="w-full rounded border border-rule bg-card px-2 py-1.5"
            >
              {SHOWS.map(([key, words]) => (
                <option key={key} value={key}>
                  {words}
                </option>
              ))}
            </select>
          </label>
        </Facets>
        <div className="flex min-h-0 min-w-0 flex-col max-md:h-[80vh]">
          <BulkBar
            filter={filter}
            change={change}
            selection={selection}
            total={images.isPlaceholderData ? undefined : first?.total}
          />
          {images.isPending && <Loading what="the images" />}
          {images.isError && <Failed error={images.error} again={() => images.refetch()} />}
          {images.data && rows.length === 0 && <Empty>No image is like this. Loosen the filter.</Empty>}
          {rows.length > 0 && view === "table" && (
            <ImageTable
              rows={rows}
              total={total}
              filter={filter}
              change={change}
              selection={selection}
              more={more}
            />
          )}
          {rows.length > 0 && view === "sheet" && (
            <ContactSheet rows={rows} total={total} selection={selection} more={more} />
          )}
        </div>
      </div>
    </div>
  );
}
