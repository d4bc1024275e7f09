import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { api, type Schemas, told } from "@/shared/api/client";
import { behindDoor } from "@/shared/api/door";
import { imageQuery } from "@/shared/api/queries";
import { against, bytes, count, counted, fileName } from "@/shared/format/figures";
import { Button, Empty, Fact, Failed, Loading, PathWords, Title } from "@/shared/ui/basics";
import { CopyButton } from "@/shared/ui/copy-button";
import { FindingList } from "@/shared/ui/finding-list";
import { useNotice } from "@/shared/ui/notices";
import { Placements } from "@/shared/ui/placements";
import { useSite } from "@/shared/ui/site-context";
import { TableHead } from "@/shared/ui/table-head";
import { Thumbnail } from "@/shared/ui/thumbnail";
import { type Role, useVocabulary } from "@/shared/ui/vocabulary";
import { WhatItGets } from "./overrule";
import { PixelFrame } from "./pixel-frame";

/** One image: what it is, where it is used, and what was made of it. */
export function ImageScreen() {
  const site = useSite();
  const siteId = String(site.id);
  const imageId = Number(useParams({ from: "/sites/$siteId/library/$imageId" }).imageId);
  const image = useQuery(imageQuery(site.capture.id, imageId));
  const findings = useQuery({
    queryKey: ["capture", site.capture.id, "image", imageId, "findings"],
    queryFn: () =>
      told(
        api.GET("/api/v1/captures/{capture_id}/images/{image_id}/findings", {
          params: { path: { capture_id: site.capture.id, image_id: imageId } },
        }),
      ),
  });
  if (image.isPending) return <Loading screen what="the image" />;
  if (image.isError) return <Failed screen error={image.error} again={() => image.refetch()} />;
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
              src={behindDoor(`/api/v1/captures/${site.capture.id}/images/${i.id}/file`)}
              alt={`Original of ${fileName(i.path)}`}
              className="max-h-[388px] max-w-full object-contain"
            />
          ) : (
            <p className="text-white">
              This file can't be shown: it {i.problem || "is in a format browsers don't show"}.
            </p>
          )}
        </div>
        <Facts image={i} cap={i.cap} />
      </div>
      <RoleAndKind image={i} />
      <PixelFrame image={i} />
      <h2 className="mt-8 mb-3">What is wrong</h2>
      <FindingList found={findings} />
      <Alike imageId={i.id} />
      <WhatItGets image={i} />
      <Made captureId={site.capture.id} image={i} />
      {site.run_id !== null && site.run_state === "done" && i.renditions.length > 0 && (
        <Markup run={site.run_id} imageId={i.id} />
      )}
      {!site.pictures_alone && <WhereItStands image={i} siteId={siteId} />}
    </>
  );
}

function WhereItStands({ image, siteId }: { image: Schemas["ImageDetail"]; siteId: string }) {
  return (
    <>
      <h2 className="mt-8 mb-3">{counted(image.placements.length, "placement")}</h2>
      {image.placements.length === 0 ? (
        <Empty>No page names this image.</Empty>
      ) : (
        <Placements siteId={siteId} rows={image.placements} shows="page" />
      )}
    </>
  );
}

/** Markup with all that was made of the image, to be copied into a page. */
function Markup({ run, imageId }: { run: number; imageId: number }) {
  const markup = useQuery({
    queryKey: ["run", run, "markup", imageId],
    queryFn: () =>
      told(
        api.GET("/api/v1/runs/{run_id}/images/{image_id}/markup", {
          params: { path: { run_id: run, image_id: imageId } },
        }),
      ),
  });
  if (!markup.data?.text) return null;
  return (
    <section>
      <h2 className="mt-8 mb-3">Markup</h2>
      <p className="mb-2 text-ink-soft">
        For a page that is written by hand: give it alternative text, and sizes that fit its place.
      </p>
      <div className="flex flex-wrap items-start gap-3">
        <code className="min-w-0 flex-1 text-[0.8rem] break-all">{markup.data.text}</code>
        <CopyButton text={markup.data.text} what="the markup" />
      </div>
    </section>
  );
}

function Facts({ image: i, cap }: { image: Schemas["ImageDetail"]; cap: number }) {
  const site = useSite();
  return (
    <dl className="grid grid-cols-2 content-start gap-x-6 gap-y-4">
      <Fact name="bytes">{bytes(i.bytes)}</Fact>
      <Fact name="against the cap">
        <span className={i.over_cap ? "text-madder" : ""}>{against(i.bytes, cap)}</span>
      </Fact>
      <Fact name="format">
        {i.format}
        {i.lossless === null ? "" : i.lossless ? ", lossless" : ", lossy"}
      </Fact>
      <Fact name="pixels">{i.width ? `${i.width} × ${i.height}` : "unknown"}</Fact>
      <Fact name="colour">
        {i.colour}, {i.bit_depth} bit
      </Fact>
      <Fact name="transparency">{alpha(i)}</Fact>
      {i.quality !== null && (
        <Fact name="JPEG quality">
          {i.quality}, {i.subsampling}
          {i.progressive && ", progressive"}
        </Fact>
      )}
      {i.palette > 0 && <Fact name="palette">{counted(i.palette, "colour")}</Fact>}
      <Fact name="bytes a pixel">{i.width ? (i.bytes / (i.width * i.height)).toFixed(2) : "–"}</Fact>
      <Fact name="frames">{count(i.frames)}</Fact>
      <Fact name="turned by EXIF">{i.orientation > 1 ? `yes (${i.orientation})` : "no"}</Fact>
      <Fact name="metadata">
        {bytes(i.metadata_bytes)}
        <span className="block text-[12px] text-ink-soft">
          {Object.entries(i.metadata)
            .filter(([sort]) => sort !== "icc")
            .map(([sort, size]) => `${sort} ${bytes(size)}`)
            .join(", ")}
        </span>
      </Fact>
      <Fact name="colour profile">
        {i.profile_bytes ? `${i.profile || "unnamed"}, ${bytes(i.profile_bytes)}` : "none"}
      </Fact>
      {i.copyright && <Fact name="copyright">{i.copyright}</Fact>}
      {!site.pictures_alone && <Fact name="pages">{count(i.page_count)}</Fact>}
    </dl>
  );
}

function alpha(i: Schemas["ImageDetail"]): string {
  if (!i.has_alpha) return "none";
  return i.alpha_used === false ? "a channel, unused" : "used";
}

/** What the image does on the site and what it is, both with the reason; the role can be changed. */
function RoleAndKind({ image: i }: { image: Schemas["ImageDetail"] }) {
  const site = useSite();
  const queries = useQueryClient();
  const say = useNotice();
  const { roles } = useVocabulary();
  const change = useMutation({
    mutationFn: (role: Role | null) =>
      told(
        api.POST("/api/v1/captures/{capture_id}/roles", {
          params: { path: { capture_id: site.capture.id } },
          body: { role, pattern: i.path },
        }),
      ),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["capture", site.capture.id] });
      say("The role was changed; the audit is done again.");
    },
    onError: (error) => say(error.message),
  });
  return (
    <dl className="mt-8 grid max-w-[900px] gap-x-10 gap-y-3 md:grid-cols-2">
      <div>
        <dt className="text-ink-soft">role</dt>
        <dd>
          <select
            aria-label="Role"
            value={i.role || "content"}
            onChange={(e) => change.mutate(e.target.value as Role)}
            className="rounded border border-rule bg-card px-2 py-1"
          >
            {roles.map((role) => (
              <option key={role}>{role}</option>
            ))}
          </select>
          {i.role_by_hand && (
            <Button className="ml-2" onClick={() => change.mutate(null)}>
              Find it again
            </Button>
          )}
          <span className="block text-[12.5px] text-ink-soft">{i.role_why}</span>
        </dd>
      </div>
      <div>
        <dt className="text-ink-soft">kind</dt>
        <dd>
          {i.kind || "unknown"}
          <span className="block text-[12.5px] text-ink-soft">{i.kind_why}</span>
          {Object.keys(i.features).length > 0 && (
            <details className="text-[12.5px] text-ink-soft">
              <summary className="cursor-pointer">What was measured</summary>
              <span className="figure">
                {Object.entries(i.features)
                  .map(([name, value]) => `${name} ${value}`)
                  .join(", ")}
              </span>
            </details>
          )}
        </dd>
      </div>
    </dl>
  );
}

/** Images that look nearly the same. */
function Alike({ imageId }: { imageId: number }) {
  const site = useSite();
  const alike = useQuery({
    queryKey: ["capture", site.capture.id, "image", imageId, "alike"],
    queryFn: () =>
      told(
        api.GET("/api/v1/captures/{capture_id}/near-duplicates/{image_id}", {
          params: { path: { capture_id: site.capture.id, image_id: imageId } },
        }),
      ),
  });
  if (!alike.data?.length) return null;
  return (
    <section className="mt-8">
      <h2 className="mb-3">Looks nearly the same as</h2>
      <ul className="flex flex-wrap gap-4">
        {alike.data.map((o) => (
          <li key={o.id}>
            <Link
              to="/sites/$siteId/library/$imageId"
              params={{ siteId: String(site.id), imageId: String(o.id) }}
            >
              <Thumbnail captureId={site.capture.id} imageId={o.id} has={o.has_thumbnail} size={90} />
              <span className="block max-w-[180px]">
                <PathWords path={o.path} />
              </span>
            </Link>
            <span className="figure text-[12.5px] text-ink-soft">
              {o.width} × {o.height}, {bytes(o.bytes)}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Made({ captureId, image: i }: { captureId: number; image: Schemas["ImageDetail"] }) {
  const { tiers } = useVocabulary();
  if (i.words.length === 0 && i.renditions.length === 0) return null;
  return (
    <section className="mt-8">
      <h2 className="mb-2">{i.sketched ? "Treatment, as sketched" : "Treatment"}</h2>
      {i.sketched && (
        <p>
          Quick files that are not confirmed yet, with the bytes that are expected of the confirmed ones; the
          run puts these in their place.
        </p>
      )}
      {i.words.map((w) => (
        <p key={w}>{w}</p>
      ))}
      {i.renditions.length > 0 && (
        <table className="mt-3 border-collapse">
          <TableHead words={["For", "Pixels", "Bytes", "Score", "Settings", ""]} />
          <tbody className="divide-y divide-rule">
            {i.renditions.map((r) => (
              <tr key={r.id}>
                <td className="py-1.5 pr-8">{tiers.find((t) => t.name === r.tier)?.words ?? r.tier}</td>
                <td className="figure py-1.5 pr-8">
                  {r.width} × {r.height}
                </td>
                <td className="figure py-1.5 pr-8 text-right">
                  {i.sketched && "about "}
                  {bytes(r.bytes)}
                </td>
                <td className="figure py-1.5 pr-8 text-right">
                  {r.score === null ? (i.sketched ? "sketch" : "") : r.score.toFixed(1)}
                </td>
                <td className="py-1.5 pr-8 text-ink-soft">
                  {r.format}, {r.settings}
                </td>
                <td className="py-1.5">
                  <a
                    href={behindDoor(`/api/v1/captures/${captureId}/images/${i.id}/renditions/${r.id}`)}
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
