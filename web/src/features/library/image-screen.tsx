import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import type { Schemas } from "@/shared/api/client";
import { imageQuery } from "@/shared/api/queries";
import { against, bytes, count, counted, fileName } from "@/shared/format/figures";
import { Empty, Fact, Failed, Loading, Title } from "@/shared/ui/basics";
import { Placements } from "@/shared/ui/placements";
import { useSite } from "@/shared/ui/site-context";
import { PixelFrame } from "./pixel-frame";

/** One image: what it is, where it is used, and what was made of it. */
export function ImageScreen() {
  const site = useSite();
  const siteId = String(site.id);
  const imageId = Number(useParams({ from: "/sites/$siteId/library/$imageId" }).imageId);
  const image = useQuery(imageQuery(site.capture.id, imageId));
  if (image.isPending) return <Loading what="the image" />;
  if (image.isError) return <Failed error={image.error} again={() => image.refetch()} />;
  const i = image.data;
  return (
    <>
      <Link
        to="/sites/$siteId/library"
        params={{ siteId }}
        className="text-ink-soft no-underline hover:text-ink"
      >
        ← Library
      </Link>
      <div className="mt-2">
        <Title says={i.paths.length > 1 ? `The same content stands at ${i.paths.join(" and ")}.` : i.path}>
          {fileName(i.path)}
        </Title>
      </div>
      <div className="grid gap-8 lg:grid-cols-[minmax(0,1fr)_300px]">
        <div className="flex max-h-[420px] min-h-[160px] items-center justify-center bg-proof p-4">
          {i.has_thumbnail ? (
            <img
              src={`/api/v1/captures/${site.capture.id}/images/${i.id}/file`}
              alt={`Original of ${fileName(i.path)}`}
              className="max-h-[388px] max-w-full object-contain"
            />
          ) : (
            <p className="text-white">
              This file can't be shown: it {i.problem || "is in a format browsers don't show"}.
            </p>
          )}
        </div>
        <Facts image={i} cap={site.image_cap} />
      </div>
      <PixelFrame image={i} />
      <Made captureId={site.capture.id} image={i} />
      <h2 className="mt-8 mb-3">{counted(i.placements.length, "placement")}</h2>
      {i.placements.length === 0 ? (
        <Empty>No page names this image.</Empty>
      ) : (
        <Placements siteId={siteId} rows={i.placements} shows="page" />
      )}
    </>
  );
}

function Facts({ image: i, cap }: { image: Schemas["ImageDetail"]; cap: number }) {
  return (
    <dl className="grid grid-cols-2 content-start gap-x-6 gap-y-4">
      <Fact name="bytes">{bytes(i.bytes)}</Fact>
      <Fact name="against the cap">
        <span className={i.over_cap ? "text-madder" : ""}>{against(i.bytes, cap)}</span>
      </Fact>
      <Fact name="format">{i.format}</Fact>
      <Fact name="pixels">{i.width ? `${i.width} × ${i.height}` : "unknown"}</Fact>
      <Fact name="colour">
        {i.colour}, {i.bit_depth} bit
      </Fact>
      <Fact name="transparency">{i.has_alpha ? "has a channel" : "none"}</Fact>
      <Fact name="frames">{count(i.frames)}</Fact>
      <Fact name="turned by EXIF">{i.orientation > 1 ? `yes (${i.orientation})` : "no"}</Fact>
      <Fact name="metadata">{bytes(i.metadata_bytes)}</Fact>
      <Fact name="colour profile">{i.profile_bytes ? bytes(i.profile_bytes) : "none"}</Fact>
      <Fact name="pages">{count(i.page_count)}</Fact>
    </dl>
  );
}

const TIERS = { avif: "AVIF", webp: "WebP", baseline: "fallback" } as const;

function Made({ captureId, image: i }: { captureId: number; image: Schemas["ImageDetail"] }) {
  if (i.words.length === 0 && i.renditions.length === 0) return null;
  return (
    <section className="mt-8">
      <h2 className="mb-2">Treatment</h2>
      {i.words.map((w) => (
        <p key={w}>{w}</p>
      ))}
      {i.renditions.length > 0 && (
        <table className="mt-3 border-collapse">
          <thead className="text-ink-soft">
            <tr className="border-b border-rule">
              {["For", "Pixels", "Bytes", "Settings", ""].map((h) => (
                <th key={h || "link"} scope="col" className="py-1.5 pr-8">
                  {h || <span className="sr-only">Open</span>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody className="divide-y divide-rule">
            {i.renditions.map((r) => (
              <tr key={r.id}>
                <td className="py-1.5 pr-8">{TIERS[r.tier as keyof typeof TIERS]}</td>
                <td className="figure py-1.5 pr-8">
                  {r.width} × {r.height}
                </td>
                <td className="figure py-1.5 pr-8 text-right">{bytes(r.bytes)}</td>
                <td className="py-1.5 pr-8 text-ink-soft">
                  {r.format}, {r.settings}
                </td>
                <td className="py-1.5">
                  <a
                    href={`/api/v1/captures/${captureId}/images/${i.id}/renditions/${r.id}`}
                    target="_blank"
                    rel="noreferrer"
                  >
                    Open
                  </a>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
