import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { api, type Schemas, told } from "@/shared/api/client";
import { useStopAndGoOn } from "@/shared/api/jobs";
import { siteQuery } from "@/shared/api/queries";
import { bytes, count, counted, when } from "@/shared/format/figures";
import { Button, buttonLook, Empty, Fact, Failed, Loading, Progress, Title } from "@/shared/ui/basics";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";

/** The reading of a site: its progress, its totals, and what is wrong in its files. */
export function CaptureScreen() {
  const site = useSite();
  const { capture } = site;
  const params = { siteId: String(site.id) };
  if (capture.state === "failed") {
    return (
      <>
        <Title side={<StopOrGoOn capture={capture} />}>The site could not be read</Title>
        <Failed error={new Error(capture.error ?? "It is not known why.")} />
        <p className="mt-4">
          <Link to="/new">Add it again from another folder or archive</Link>
        </p>
      </>
    );
  }
  if (capture.state !== "done") {
    const stopped = capture.state === "stopped";
    return (
      <>
        <Title
          says="Every file is read once and kept; pages are joined with the images they name. You may leave this page."
          side={<StopOrGoOn capture={capture} />}
        >
          {stopped ? `Reading ${capture.label} was stopped` : `Reading ${capture.label}`}
        </Title>
        <Progress done={capture.files_done} total={capture.files_total} label="Files read" />
        <p className="figure mt-2">
          {capture.files_total
            ? `${count(capture.files_done)} of ${counted(capture.files_total, "file")}`
            : "Waiting for its turn …"}
          {capture.origin === "crawl" && capture.files_total > 0 && " known so far"}
        </p>
      </>
    );
  }
  return (
    <>
      <Title
        says={`Read from ${capture.label} on ${when(capture.created_at)}. A capture is never changed afterwards.`}
        side={
          (capture.origin === "folder" || capture.origin === "crawl") && <ReadAgain origin={capture.origin} />
        }
      >
        Capture
      </Title>
      <dl className="mb-8 flex flex-wrap gap-x-12 gap-y-4">
        <Fact name="files">{count(capture.files_total)}</Fact>
        <Fact name={site.pictures_alone ? "folders" : "pages"}>{count(capture.pages)}</Fact>
        <Fact name="images">{count(capture.images)}</Fact>
        <Fact name="image files, all">{bytes(capture.image_bytes)}</Fact>
        {!site.pictures_alone && (
          <>
            <Fact name="image files, in use">{bytes(capture.used_bytes)}</Fact>
            <Fact name="images no page uses">{count(capture.unused_images)}</Fact>
            <Fact name="broken references">{count(capture.broken_references)}</Fact>
          </>
        )}
      </dl>
      {site.pictures_alone ? (
        <Link to="/sites/$siteId/treatment" params={params} className={buttonLook}>
          Plan {counted(capture.images, "picture")}
        </Link>
      ) : (
        <Link to="/sites/$siteId/audit" params={params} className={buttonLook}>
          Audit {counted(capture.pages, "page")}
        </Link>
      )}
      <Faults captureId={capture.id} />
    </>
  );
}

/** Stops a reading, or goes on with one from where it was stopped. */
function StopOrGoOn({ capture }: { capture: Schemas["Capture"] }) {
  const site = useSite();
  const queries = useQueryClient();
  const act = useStopAndGoOn("captures", capture.id, () =>
    queries.invalidateQueries({ queryKey: siteQuery(site.id).queryKey }),
  );
  if (capture.can_go_on) {
    return (
      <Button onClick={act.goOn} disabled={act.pending}>
        Go on reading
      </Button>
    );
  }
  return (
    <Button onClick={act.stop} disabled={act.pending || act.stopping}>
      {act.stopping ? "Stopping …" : "Stop reading"}
    </Button>
  );
}

function ReadAgain({ origin }: { origin: string }) {
  const site = useSite();
  const queries = useQueryClient();
  const navigate = useNavigate();
  const say = useNotice();
  const again = useMutation({
    mutationFn: () =>
      told(api.POST("/api/v1/sites/{site_id}/captures", { params: { path: { site_id: site.id } } })),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: siteQuery(site.id).queryKey });
      void navigate({ to: "/sites/$siteId/capture", params: { siteId: String(site.id) } });
    },
    onError: (error) => say(error.message),
  });
  return (
    <Button onClick={() => again.mutate()} disabled={again.isPending}>
      {origin === "crawl" ? "Read the site again" : "Read the folder again"}
    </Button>
  );
}

function Faults({ captureId }: { captureId: number }) {
  const faults = useQuery({
    queryKey: ["capture", captureId, "faults"],
    queryFn: () =>
      told(api.GET("/api/v1/captures/{capture_id}/faults", { params: { path: { capture_id: captureId } } })),
  });
  return (
    <section className="mt-10">
      <h2 className="mb-3">Wrong in the files</h2>
      {faults.isPending && <Loading what="what is wrong" />}
      {faults.isError && <Failed error={faults.error} again={() => faults.refetch()} />}
      {faults.data?.length === 0 && (
        <Empty>Nothing: every file could be read and tells its real format.</Empty>
      )}
      <ul className="max-w-[90ch] divide-y divide-rule border-rule">
        {faults.data?.map((f) => (
          <li key={`${f.kind}${f.path}${f.message}`} className="py-2.5">
            {f.message}
            <span className="figure block text-[12px] text-ink-soft">
              {f.path}
              {f.line ? `, line ${f.line}` : ""}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
