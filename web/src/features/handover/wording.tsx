import { useInfiniteQuery, useMutation, useQueryClient } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { count, counted, fileName } from "@/shared/format/figures";
import { Button, Empty, Failed, Loading } from "@/shared/ui/basics";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";
import { Thumbnail } from "@/shared/ui/thumbnail";

type Row = Schemas["WordingRow"];
type Kind = Row["kind"];

const ABOUT: Record<Kind, string> = {
  alternative:
    "Images without alternative text, each once a page. What is written here stands in the handed-over page; nothing is written unasked. An empty text says that the image only decorates.",
  name: "Image files by name. A new name is written into every page and style sheet, and the old address is led to it. A file that a script may name keeps its own.",
};

const NAMES_ALONE = "Pictures by name: a new name is what their new files are called by.";

/** Alternative texts or names of files: what is suggested, edited in place. */
export function Wording({ kind, run }: { kind: Kind; run: number }) {
  const site = useSite();
  const queries = useQueryClient();
  const say = useNotice();
  const captureId = site.capture.id;
  const key = ["capture", captureId, "wording", kind];
  const list = useInfiniteQuery({
    queryKey: key,
    queryFn: ({ pageParam }) =>
      told(
        api.GET("/api/v1/captures/{capture_id}/wording/{kind}", {
          params: { path: { capture_id: captureId, kind }, query: { after: pageParam, limit: 50 } },
        }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, all) => {
      const shown = all.reduce((sum, page) => sum + page.items.length, 0);
      return shown < last.total ? shown : undefined;
    },
  });
  const refresh = () => {
    void queries.invalidateQueries({ queryKey: key });
    void queries.invalidateQueries({ queryKey: ["run", run] });
  };
  const put = (choices: Schemas["WordingChoice"][]) =>
    told(
      api.PUT("/api/v1/captures/{capture_id}/wording", {
        params: { path: { capture_id: captureId } },
        body: { choices },
      }),
    );
  const undo = (before: Schemas["WordingChoices"]) => () => {
    put(before.choices).then(refresh, (error: Error) => say(error.message));
  };
  const save = useMutation({
    mutationFn: put,
    onSuccess: (before) => {
      refresh();
      say("Kept for the handover.", undo(before));
    },
    onError: (error) => say(error.message),
  });
  const all = useMutation({
    mutationFn: () =>
      told(
        api.POST("/api/v1/captures/{capture_id}/wording/{kind}/suggestions", {
          params: { path: { capture_id: captureId, kind } },
        }),
      ),
    onSuccess: (before) => {
      refresh();
      say(`${counted(before.choices.length, "suggestion")} taken.`, undo(before));
    },
    onError: (error) => say(error.message),
  });
  if (list.isPending) return <Loading what="the images" />;
  if (list.isError) return <Failed error={list.error} again={() => list.refetch()} />;
  const first = list.data.pages[0];
  const rows = list.data.pages.flatMap((page) => page.items);
  if (!first || first.total === 0) {
    return <Empty>{kind === "name" ? "No page shows an image." : "Every image has alternative text."}</Empty>;
  }
  return (
    <>
      <p className="mb-3 max-w-[80ch]">
        {site.pictures_alone && kind === "name" ? NAMES_ALONE : ABOUT[kind]}
      </p>
      <div className="mb-4 flex flex-wrap items-center gap-4">
        <span>
          {count(first.decided)} of {count(first.total)} decided
        </span>
        {first.suggested > 0 && (
          <Button onClick={() => all.mutate()} disabled={all.isPending}>
            Take all {counted(first.suggested, "suggestion")}
          </Button>
        )}
      </div>
      <ul className="divide-y divide-rule border-t border-rule">
        {rows.map((row) => (
          <Line
            key={`${row.page} ${row.path}`}
            row={row}
            pending={save.isPending}
            decide={(text) => save.mutate([{ kind: row.kind, page: row.page, path: row.path, text }])}
          />
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

type LineProps = { row: Row; pending: boolean; decide: (text: string | null) => void };

function Line({ row, pending, decide }: LineProps) {
  const site = useSite();
  const id = useId();
  const [draft, setDraft] = useState<string | null>(null);
  const shown = draft ?? row.text ?? "";
  const name = row.kind === "name";
  const extension = row.path.slice(row.path.lastIndexOf("."));
  const keep = (text: string | null) => {
    setDraft(null);
    decide(text);
  };
  return (
    <li className="grid gap-x-5 gap-y-2 py-3 md:grid-cols-[80px_minmax(0,1fr)_minmax(0,1fr)]">
      {row.image_id === null ? (
        <span />
      ) : (
        <Thumbnail captureId={site.capture.id} imageId={row.image_id} has size={52} />
      )}
      <div className="min-w-0">
        <p className="figure break-all">{name ? row.path : fileName(row.path)}</p>
        {!name && (
          <p className="text-ink-soft">
            <span className="figure break-all">{row.page}</span>, line {row.line}
            {row.heading && `, below “${row.heading}”`}
          </p>
        )}
        {(row.before || row.after) && (
          <p className="text-[12.5px] text-ink-soft">
            … {row.before} <span aria-hidden="true">▢</span> {row.after} …
          </p>
        )}
      </div>
      <form
        className="min-w-0"
        onSubmit={(event) => {
          event.preventDefault();
          keep(name && !shown.trim() ? null : shown.trim());
        }}
      >
        <label htmlFor={id} className="text-ink-soft">
          {name ? "New name" : "Alternative text"}
          {row.text === "" && draft === null && ": it only decorates"}
        </label>
        <span className="flex items-center gap-1">
          <input
            id={id}
            value={shown}
            onChange={(event) => setDraft(event.target.value)}
            maxLength={name ? 100 : 1000}
            className="min-w-0 flex-1 rounded border border-rule bg-card px-2 py-1"
          />
          {name && <span className="figure text-ink-soft">{extension}</span>}
        </span>
        <span className="mt-1.5 flex flex-wrap items-center gap-2">
          {draft !== null && draft !== (row.text ?? "") && (
            <Button type="submit" disabled={pending}>
              Keep
            </Button>
          )}
          {row.text === null && row.suggestion !== null && draft === null && (
            <Button onClick={() => keep(row.suggestion)} disabled={pending}>
              {row.suggestion === "" ? "It only decorates" : `Take “${row.suggestion}”`}
            </Button>
          )}
          {row.text === null && row.suggestion !== "" && !name && draft === null && (
            <Button onClick={() => keep("")} disabled={pending}>
              It only decorates
            </Button>
          )}
          {row.text !== null && draft === null && (
            <Button onClick={() => keep(null)} disabled={pending}>
              Take back
            </Button>
          )}
          {row.text === null && row.why && draft === null && (
            <span className="text-[12.5px] text-ink-soft">{row.why}</span>
          )}
        </span>
      </form>
    </li>
  );
}
