import { useInfiniteQuery } from "@tanstack/react-query";
import { api, told } from "@/shared/api/client";
import { counted } from "@/shared/format/figures";
import { Button, Empty, Failed, Loading } from "@/shared/ui/basics";
import { CopyButton } from "@/shared/ui/copy-button";

/** Templates, components and Markdown: places that name images, with what could stand there. */
export function Elsewhere({ run }: { run: number }) {
  const list = useInfiniteQuery({
    queryKey: ["run", run, "elsewhere"],
    queryFn: ({ pageParam }) =>
      told(
        api.GET("/api/v1/runs/{run_id}/elsewhere", {
          params: { path: { run_id: run }, query: { after: pageParam, limit: 50 } },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, all) => {
      const shown = all.reduce((sum, page) => sum + page.items.length, 0);
      return shown < last.total ? shown : undefined;
    },
  });
  if (list.isPending) return <Loading what="the templates" />;
  if (list.isError) return <Failed error={list.error} again={() => list.refetch()} />;
  const first = list.data.pages[0];
  if (!first || first.total === 0) {
    return <Empty>No template, component or Markdown file of this site names an image.</Empty>;
  }
  return (
    <>
      <p className="mb-3 max-w-[80ch]">
        {counted(first.files, "file")} can't be rewritten, for a program makes pages of them. They name images
        in {counted(first.total, "place")}. What is suggested is nowhere proven: adapt its sizes to the place.
      </p>
      <ul className="divide-y divide-rule border-t border-rule">
        {list.data.pages
          .flatMap((page) => page.items)
          .map((one) => (
            <li key={`${one.source} ${one.line} ${one.written}`} className="py-3">
              <p>
                <span className="figure break-all">{one.source}</span>, line {one.line}
              </p>
              <code className="mt-1 block text-[0.8rem] break-all text-ink-soft">{one.written}</code>
              {one.suggested ? (
                <div className="mt-2 flex flex-wrap items-start gap-3">
                  <code className="min-w-0 flex-1 border-l-4 border-stem pl-2 text-[0.8rem] break-all">
                    {one.suggested}
                  </code>
                  <CopyButton text={one.suggested} what="the markup" />
                </div>
              ) : (
                <p className="mt-1 text-ink-soft">
                  Nothing was made of {one.path}, or it can't be told what would stand here.
                </p>
              )}
            </li>
          ))}
      </ul>
      {list.hasNextPage && (
        <Button className="mt-3" onClick={() => list.fetchNextPage()}>
          Show more
        </Button>
      )}
    </>
  );
}
