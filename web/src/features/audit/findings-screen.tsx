import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { findingsQuery } from "@/shared/api/queries";
import { counted } from "@/shared/format/figures";
import { stake } from "@/shared/format/findings";
import { Button, Empty, Failed, Loading, Title } from "@/shared/ui/basics";
import { FindingRows } from "@/shared/ui/finding-list";
import { useSite } from "@/shared/ui/site-context";
import { AuditTabs } from "./audit-tabs";

const EASE = {
  1: ["By treating the images", "Select them and start a run; nothing else is needed."],
  2: ["In the markup", "The handover writes much of this; the rest is a line or two."],
  3: ["By hand or by thought", "Someone has to decide, rename or replace."],
} as const;

/** Everything that is wrong, from the easiest win downwards. */
export function FindingsScreen() {
  const site = useSite();
  const findings = useQuery(findingsQuery(site.capture.id));
  const busy = findings.data?.going ?? false;
  if (findings.isPending) return <Loading screen what="the findings" />;
  if (findings.isError) return <Failed screen error={findings.error} again={() => findings.refetch()} />;
  const { groups, measured, state } = findings.data;
  const total = groups.reduce((sum, g) => sum + g.count, 0);
  return (
    <>
      <Title
        says={
          measured
            ? "Bytes at stake are what mending would save; an image can stand in several groups, so they do not add up."
            : "Roles and slots are guessed from markup so far; measure the pages in a browser to know them."
        }
      >
        {busy ? "Finding what is wrong …" : total ? `${counted(total, "finding")}` : "Nothing is wrong"}
      </Title>
      <AuditTabs />
      {state === "failed" && (
        <Failed error={new Error(findings.data.error ?? "The audit could not be finished.")} />
      )}
      {!busy && groups.length === 0 && <Empty>No finding. The images are as light as they can be.</Empty>}
      {([1, 2, 3] as const).map((ease) => {
        const among = groups.filter((g) => g.ease === ease);
        return (
          among.length > 0 && (
            <section key={ease} className="mb-8">
              <h2>{EASE[ease][0]}</h2>
              <p className="mb-2 text-ink-soft">{EASE[ease][1]}</p>
              <ul className="divide-y divide-rule border-y border-rule">
                {among.map((g) => (
                  <Group key={g.code} group={g} />
                ))}
              </ul>
            </section>
          )
        );
      })}
    </>
  );
}

function Group({ group: g }: { group: Schemas["FindingGroup"] }) {
  const site = useSite();
  const [open, setOpen] = useState(false);
  const where = g.images ? counted(g.images, "image") : counted(g.pages || g.count, "page");
  return (
    <li className="py-2.5">
      <div className="grid grid-cols-[minmax(0,1fr)_auto] items-baseline gap-x-6 gap-y-1 md:grid-cols-[minmax(0,1fr)_110px_130px_150px]">
        <button
          type="button"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
          className="text-left hover:text-thistle"
        >
          <span className="mr-2 inline-block w-3 text-ink-soft">{open ? "−" : "+"}</span>
          {g.title}
          <span className="block pl-5 text-[12.5px] text-ink-soft">{g.mend}</span>
        </button>
        <span className="figure text-right">{where}</span>
        <span className="figure text-right font-semibold">{stake(g)}</span>
        {g.images > 0 ? (
          <Link
            to="/sites/$siteId/library"
            params={{ siteId: String(site.id) }}
            search={{ finding: [g.code], all: g.ease === 1 ? true : undefined }}
            className="text-right"
          >
            {g.ease === 1 ? `Select ${counted(g.images, "image")}` : "Show them"}
          </Link>
        ) : (
          <span />
        )}
      </div>
      {open && <Members group={g} />}
    </li>
  );
}

function Members({ group }: { group: Schemas["FindingGroup"] }) {
  const site = useSite();
  const siteId = String(site.id);
  const found = useInfiniteQuery({
    queryKey: ["capture", site.capture.id, "findings", group.code],
    queryFn: ({ pageParam }) =>
      told(
        api.GET("/api/v1/captures/{capture_id}/findings/{code}", {
          params: {
            path: { capture_id: site.capture.id, code: group.code },
            query: { after: pageParam, limit: 50 },
          },
        }),
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
  });
  if (found.isPending) return <Loading what="them" />;
  if (found.isError) return <Failed error={found.error} again={() => found.refetch()} />;
  return (
    <div className="mt-2 ml-5 max-w-[100ch] space-y-1">
      <p className="text-[12.5px] text-ink-soft">
        Found where: {group.threshold}. Code: <span className="figure">{group.code}</span>
      </p>
      <FindingRows
        rows={found.data.pages.flatMap((p) => p.items)}
        sentence={(f) =>
          f.image_id ? (
            <Link
              to="/sites/$siteId/library/$imageId"
              params={{ siteId, imageId: String(f.image_id) }}
              className="no-underline hover:underline"
            >
              {f.sentence}
            </Link>
          ) : f.page_id ? (
            <Link
              to="/sites/$siteId/audit/$pageId"
              params={{ siteId, pageId: String(f.page_id) }}
              className="no-underline hover:underline"
            >
              {f.sentence}
            </Link>
          ) : (
            f.sentence
          )
        }
      />
      {found.hasNextPage && (
        <Button className="mt-2" onClick={() => found.fetchNextPage()} disabled={found.isFetchingNextPage}>
          Show more
        </Button>
      )}
    </div>
  );
}
