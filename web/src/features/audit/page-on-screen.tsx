import { useQuery } from "@tanstack/react-query";
import { api, type Schemas, told } from "@/shared/api/client";
import { behindDoor } from "@/shared/api/door";
import { measurementQuery } from "@/shared/api/queries";
import { against, bytes, counted, fileName } from "@/shared/format/figures";
import { Failed, Loading } from "@/shared/ui/basics";
import { useOpenImage } from "@/shared/ui/open-image";
import { useSite } from "@/shared/ui/site-context";
import { INKS } from "@/shared/ui/state";
import { lineIndex, type View, ViewSentence } from "@/shared/ui/view";

type Props = { pageId: number; view: View; change: (part: Partial<View>) => void };

/** The page's picture on one screen, every placement outlined at its place with its weight. */
export function PageOnScreen({ pageId, view, change }: Props) {
  const site = useSite();
  const measurement = useQuery(measurementQuery(site.capture.id)).data;
  const chosen = view.screen || measurement?.screens.at(-1)?.name || "";
  const page = useQuery({
    queryKey: ["measurement", measurement?.id, chosen, view.tier, "page", pageId, measurement?.done],
    queryFn: () =>
      told(
        api.GET("/api/v1/measurements/{measurement_id}/screens/{screen}/pages/{page_id}", {
          params: {
            path: { measurement_id: measurement?.id ?? 0, screen: chosen, page_id: pageId },
            query: { tier: view.tier || undefined },
          },
        }),
      ),
    enabled: Boolean(measurement && chosen),
    retry: false,
  });
  if (!measurement) return null;
  const at = { ...view, screen: chosen };
  return (
    <section className="mt-8">
      <h2>On a screen</h2>
      <ViewSentence view={at} change={change} screens={measurement.screens} words={["part", "tier", "line"]}>
        {page.data ? <Weighs page={page.data} view={at} /> : "…"}
      </ViewSentence>
      {page.isPending && <Loading what="the measured page" />}
      {page.isError && <Failed error={page.error} again={() => page.refetch()} />}
      {page.data && (
        <>
          <p className="mb-3 text-ink-soft">
            {measurement.estimated ? "Estimated from markup" : "Measured in Chromium"}.{" "}
            {page.data.problem || page.data.errors.join(" ")}
          </p>
          <Outlines page={page.data} measurementId={measurement.id} />
        </>
      )}
    </section>
  );
}

/** What the page weighs in the chosen part of a visit, against its budget and in seconds. */
function Weighs({ page, view }: { page: Schemas["MeasuredPageDetail"]; view: View }) {
  const site = useSite();
  const opening = view.part === "opening";
  const seconds = opening ? page.seconds_opening : page.seconds_scrolled;
  const files = page.loaded.filter((file) => !opening || file.opening).length;
  return (
    <>
      <span className="figure">{bytes(page[view.part])}</span> in {counted(files, "image file")},{" "}
      <span className={`figure ${INKS[opening ? page.state_opening : page.state_scrolled]}`}>
        {against(page[view.part], page.allowed)}
      </span>
      , in{" "}
      <span className="figure">{(seconds[lineIndex(site.connections, view.line)] ?? 0).toFixed(1)} s</span>.
    </>
  );
}

function Outlines({ page, measurementId }: { page: Schemas["MeasuredPageDetail"]; measurementId: number }) {
  const openImage = useOpenImage();
  if (!page.width) return null;
  const shown = page.slots.filter((s) => s.image_id !== null && s.width > 4 && s.height > 4);
  // The large boxes first, so that the small ones lie on top and can be reached.
  shown.sort((a, b) => b.width * b.height - a.width * a.height);
  return (
    <div
      className="max-h-[560px] overflow-auto border border-rule bg-proof p-4"
      role="region"
      aria-label="Picture of the page"
      tabIndex={0}
    >
      <div className="relative mx-auto" style={{ width: Math.min(page.width, 960) }}>
        <img
          src={behindDoor(
            `/api/v1/measurements/${measurementId}/screens/${page.screen}/pages/${page.page_id}/screenshot`,
          )}
          alt={`${page.path} on the ${page.screen} screen`}
          className="block w-full"
        />
        {shown.map((s) => (
          <button
            key={s.id}
            type="button"
            title={`${s.path}: ${bytes(s.bytes)}, shown ${Math.round(s.width)} × ${Math.round(s.height)}`}
            onClick={() => openImage(s.image_id ?? 0)}
            className="absolute flex items-start overflow-hidden border-2 border-thistle text-left hover:bg-thistle/20 focus-visible:bg-thistle/20"
            style={{
              left: `${(s.x / page.width) * 100}%`,
              top: `${(s.y / page.height) * 100}%`,
              width: `${(s.width / page.width) * 100}%`,
              height: `${(s.height / page.height) * 100}%`,
            }}
          >
            <span className="figure bg-card px-1 text-[11px] text-ink">{bytes(s.bytes)}</span>
            <span className="sr-only">{fileName(s.path)}</span>
          </button>
        ))}
      </div>
    </div>
  );
}
