import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { api, type Schemas, told } from "@/shared/api/client";
import { measurementQuery } from "@/shared/api/queries";
import { against, bytes, counted } from "@/shared/format/figures";
import { Button, buttonLook, Empty, Failed, Loading, PathWords, Title } from "@/shared/ui/basics";
import { DialogButton } from "@/shared/ui/dialog";
import { useOpenImage } from "@/shared/ui/open-image";
import { useSite } from "@/shared/ui/site-context";
import { INKS } from "@/shared/ui/state";
import { type View, ViewSentence, withDefaults } from "@/shared/ui/view";
import { WeightStrip } from "@/shared/ui/weight-strip";
import { AuditTabs } from "./audit-tabs";
import { BudgetWord } from "./budget-word";
import { Budgets } from "./budgets";
import { MeasureBar } from "./measure-bar";
import { MeasuredList, useMeasuredPages } from "./measured-list";

/** Every page against its budget, those furthest over first. */
export function AuditScreen() {
  const site = useSite();
  const navigate = useNavigate({ from: "/sites/$siteId/audit" });
  const view = withDefaults(useSearch({ from: "/sites/$siteId/audit" }));
  const change = (part: Partial<View>) => navigate({ search: (old) => ({ ...old, ...part }), replace: true });
  const measured = useMeasuredPages(view);
  const screens = useQuery(measurementQuery(site.capture.id)).data?.screens ?? [];
  const ready = site.capture.state === "done";
  if (!ready) return <NotReadYet />;
  if (site.pictures_alone) return <PicturesAlone />;
  const over = view.screen ? (measured.data?.pages[0]?.over ?? null) : (site.ledger?.pages_over ?? 0);
  return (
    <>
      <Title
        says={
          view.screen
            ? "Image bytes that Chromium loads of each page, measured on this screen. The tick across a strip is the budget."
            : "Image bytes of each page, counted by reference: every distinct image file that a page names. The tick across a strip is the budget."
        }
        side={
          <Link to="/sites/$siteId/treatment" params={{ siteId: String(site.id) }} className={buttonLook}>
            Plan the treatment
          </Link>
        }
      >
        {headline(over, site.capture.pages)}
      </Title>
      <AuditTabs />
      <ViewSentence view={view} change={change} screens={screens} any words={["part", "tier", "line"]}>
        {over ?? "…"} of {counted(site.capture.pages, "page")} over their budget of <BudgetWord />.
      </ViewSentence>
      <MeasureBar>
        <DialogButton trigger="Budgets by page, screen and role" title="Budgets" wide>
          {(close) => <Budgets close={close} />}
        </DialogButton>
      </MeasureBar>
      {view.screen ? <MeasuredList view={view} /> : <ByReference />}
    </>
  );
}

/** Pictures that no page shows have no budget of a page: their folders, and what is heavy among them. */
function PicturesAlone() {
  const site = useSite();
  const heavy = site.ledger?.images_over_cap ?? 0;
  return (
    <>
      <Title
        says={`No page shows them, so there is no budget of a page. ${heavy > 0 ? `${counted(heavy, "picture")} would be over what one picture of a page may weigh.` : "Each is light enough for a page as it is."}`}
        side={
          <Link to="/sites/$siteId/treatment" params={{ siteId: String(site.id) }} className={buttonLook}>
            Plan the pictures
          </Link>
        }
      >
        {counted(site.capture.images, "picture")} of {bytes(site.ledger?.before ?? 0)}
      </Title>
      <AuditTabs />
      <ByReference />
    </>
  );
}

function headline(over: number | null, pages: number): string {
  if (over === null) return "Pages against their budget";
  return over === 0
    ? `All ${counted(pages, "page")} within budget`
    : `${over} of ${counted(pages, "page")} over budget`;
}

/** Pages counted by reference, without a browser. */
function ByReference() {
  const site = useSite();
  const pages = useInfiniteQuery({
    queryKey: ["capture", site.capture.id, "pages", site],
    queryFn: ({ pageParam }) =>
      told(
        api.GET("/api/v1/captures/{capture_id}/pages", {
          params: { path: { capture_id: site.capture.id }, query: { after: pageParam, limit: 100 } },
        }),
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => last.next ?? undefined,
  });
  const rows = pages.data?.pages.flatMap((p) => p.items) ?? [];
  const scale = Math.max(pages.data?.pages[0]?.heaviest ?? 0, site.pictures_alone ? 1 : site.page_budget);
  return (
    <>
      {pages.isPending && <Loading what="the pages" />}
      {pages.isError && <Failed error={pages.error} again={() => pages.refetch()} />}
      {pages.data && rows.length === 0 && <Empty>This capture holds no web page.</Empty>}
      <ul className="mt-4 divide-y divide-rule border-y border-rule">
        {rows.map((page) => (
          <PageRow key={page.id} page={page} scale={scale} />
        ))}
      </ul>
      {pages.hasNextPage && (
        <Button className="mt-4" onClick={() => pages.fetchNextPage()} disabled={pages.isFetchingNextPage}>
          Show more pages
        </Button>
      )}
    </>
  );
}

function NotReadYet() {
  const site = useSite();
  return (
    <Empty>
      The site is not read yet.{" "}
      <Link to="/sites/$siteId/capture" params={{ siteId: String(site.id) }}>
        See how far it is
      </Link>
    </Empty>
  );
}

function PageRow({ page, scale }: { page: Schemas["PageRow"]; scale: number }) {
  const site = useSite();
  const openImage = useOpenImage();
  const siteId = String(site.id);
  return (
    <li className="grid grid-cols-[minmax(150px,230px)_minmax(0,1fr)_180px] items-start gap-6 py-2.5">
      <div className="min-w-0">
        <Link
          to="/sites/$siteId/audit/$pageId"
          params={{ siteId, pageId: String(page.id) }}
          className="block"
        >
          <PathWords path={page.path} title={page.title} />
        </Link>
        <span className="text-[12.5px] text-ink-soft">
          {counted(page.image_count, "image")}
          {page.broken_count > 0 && `, ${page.broken_count} broken`}
        </span>
      </div>
      <WeightStrip
        name={page.path}
        total={page.image_bytes}
        segments={page.segments}
        state={site.pictures_alone ? "within" : page.state}
        budget={site.pictures_alone ? undefined : page.allowed}
        scale={scale}
        onOpen={openImage}
      />
      <p className="figure text-right">
        {bytes(page.image_bytes)}
        {!site.pictures_alone && (
          <span className={`block text-[12.5px] ${INKS[page.state]}`}>
            {page.state === "over" ? "" : `${page.state}, `}
            {against(page.image_bytes, page.allowed)}
            {page.allowed_by !== "the whole site" && (
              <span className="block text-ink-soft">by {page.allowed_by}</span>
            )}
          </span>
        )}
      </p>
    </li>
  );
}
