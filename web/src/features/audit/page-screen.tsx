import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { api, type Schemas, told } from "@/shared/api/client";
import { against, bytes, counted } from "@/shared/format/figures";
import { Button, Empty, Failed, Loading, PathWords, Title } from "@/shared/ui/basics";
import { FindingList } from "@/shared/ui/finding-list";
import { useNotice } from "@/shared/ui/notices";
import { useOpenImage } from "@/shared/ui/open-image";
import { Placements } from "@/shared/ui/placements";
import { useSite } from "@/shared/ui/site-context";
import { INKS } from "@/shared/ui/state";
import { Thumbnail } from "@/shared/ui/thumbnail";
import { withDefaults } from "@/shared/ui/view";
import { WeightStrip } from "@/shared/ui/weight-strip";
import { PageOnScreen } from "./page-on-screen";

/** While a run is going: the images of this page before the others. */
function TreatFirst({ pageId }: { pageId: number }) {
  const site = useSite();
  const say = useNotice();
  const first = useMutation({
    mutationFn: () =>
      told(
        api.POST("/api/v1/runs/{run_id}/first", {
          params: { path: { run_id: site.run_id ?? 0 } },
          body: { page_id: pageId },
        }),
      ),
    onSuccess: ({ images }) =>
      say(images ? `${counted(images, "image")} of this page come next.` : "Its images are treated already."),
    onError: (error) => say(error.message),
  });
  return (
    <Button onClick={() => first.mutate()} disabled={first.isPending}>
      Treat this page first
    </Button>
  );
}

/** One page: its images, the heaviest first, and everything that it names. */
export function PageScreen() {
  const site = useSite();
  const siteId = String(site.id);
  const navigate = useNavigate();
  const openImage = useOpenImage();
  const pageId = Number(useParams({ from: "/sites/$siteId/audit/$pageId" }).pageId);
  const search = useSearch({ from: "/sites/$siteId/audit/$pageId" });
  const page = useQuery({
    queryKey: ["capture", site.capture.id, "page", pageId, site.page_budget],
    queryFn: () =>
      told(
        api.GET("/api/v1/captures/{capture_id}/pages/{page_id}", {
          params: { path: { capture_id: site.capture.id, page_id: pageId } },
        }),
      ),
  });
  const findings = useQuery({
    queryKey: ["capture", site.capture.id, "page", pageId, "findings"],
    queryFn: () =>
      told(
        api.GET("/api/v1/captures/{capture_id}/pages/{page_id}/findings", {
          params: { path: { capture_id: site.capture.id, page_id: pageId } },
        }),
      ),
  });
  if (page.isPending) return <Loading screen what="the page" />;
  if (page.isError) return <Failed screen error={page.error} again={() => page.refetch()} />;
  const p = page.data;
  const segments = p.images.map((i) => ({ image_id: i.id, path: i.path, bytes: i.bytes }));
  return (
    <>
      <Link
        to="/sites/$siteId/audit"
        params={{ siteId }}
        className="text-ink-soft no-underline hover:text-ink"
      >
        ← All pages
      </Link>
      <div className="mt-2">
        <Title says={p.title} side={site.run_state === "running" && <TreatFirst pageId={p.id} />}>
          {p.path}
        </Title>
      </div>
      <p className="mb-2">
        <span className="font-serif text-[26px]">{bytes(p.image_bytes)}</span>{" "}
        <span className={`figure ml-2 ${INKS[p.state]}`}>{against(p.image_bytes, p.allowed)}</span>
        {p.data_bytes > 0 && (
          <span className="text-ink-soft">
            {" "}
            and {bytes(p.data_bytes)} of pictures inside the document itself
          </span>
        )}
      </p>
      <WeightStrip
        name={p.path}
        total={p.image_bytes}
        segments={segments}
        state={p.state}
        budget={p.allowed}
        scale={p.image_bytes}
        onOpen={openImage}
      />
      <PageOnScreen
        pageId={p.id}
        view={withDefaults(search)}
        change={(part) =>
          navigate({
            to: "/sites/$siteId/audit/$pageId",
            params: { siteId, pageId: String(p.id) },
            search: { ...search, ...part },
            replace: true,
          })
        }
      />
      <h2 className="mt-8 mb-3">What is wrong</h2>
      <FindingList found={findings} />
      {p.broken.length > 0 && (
        <Addresses title="Broken references" list={p.broken} count={p.broken_count} tone="text-madder" />
      )}
      {p.remote.length > 0 && (
        <Addresses title="Pictures of other hosts (not weighed)" list={p.remote} count={p.remote_count} />
      )}
      <h2 className="mt-8 mb-3">{counted(p.images.length, "image")}</h2>
      {p.images.length > 0 && (
        <p className="mb-3">
          <Link to="/sites/$siteId/library" params={{ siteId }} search={{ page: p.id }}>
            Show them in the library
          </Link>
        </p>
      )}
      {p.images.length === 0 && <Empty>This page names no image of the site.</Empty>}
      <ul className="divide-y divide-rule border-y border-rule">
        {p.images.map((image) => (
          <ImageLine key={image.id} image={image} />
        ))}
      </ul>
      <h2 className="mt-8 mb-3">{counted(p.placement_count, "placement")}</h2>
      <Shortened shown={p.placements.length} count={p.placement_count} />
      <Placements siteId={siteId} rows={p.placements} shows="image" />
    </>
  );
}

function Shortened({ shown, count }: { shown: number; count: number }) {
  if (shown >= count) return null;
  return (
    <p className="mb-3 text-ink-soft">
      The first {shown.toLocaleString("en")} of {count.toLocaleString("en")}.
    </p>
  );
}

function Addresses(props: { title: string; list: string[]; count: number; tone?: string }) {
  const { title, list, count, tone = "" } = props;
  return (
    <section className="mt-6">
      <h2 className={`mb-1 ${tone}`}>{title}</h2>
      <Shortened shown={list.length} count={count} />
      <ul className="figure whitespace-normal">
        {list.map((address) => (
          <li key={address} className="break-all">
            {address}
          </li>
        ))}
      </ul>
    </section>
  );
}

function ImageLine({ image }: { image: Schemas["ImageRow"] }) {
  const site = useSite();
  return (
    <li className="grid grid-cols-[auto_minmax(0,1fr)_130px_130px] items-center gap-4 py-2">
      <Thumbnail captureId={site.capture.id} imageId={image.id} has={image.has_thumbnail} size={40} />
      <Link
        to="/sites/$siteId/library/$imageId"
        params={{ siteId: String(site.id), imageId: String(image.id) }}
        className="block min-w-0"
      >
        <PathWords path={image.path} />
      </Link>
      <span className="figure text-right text-ink-soft">
        {image.width ? `${image.width} × ${image.height}` : image.format}
      </span>
      <span className="figure text-right">
        {bytes(image.bytes)}
        {image.over_cap && (
          <span className="block text-[12.5px] text-madder">{against(image.bytes, image.cap)}</span>
        )}
      </span>
    </li>
  );
}
