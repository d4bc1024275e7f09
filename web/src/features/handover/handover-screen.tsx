import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { Download } from "lucide-react";
import { api, told } from "@/shared/api/client";
import { bytes, count, counted } from "@/shared/format/figures";
import { buttonLook, Empty, Fact, Failed, Loading, Title } from "@/shared/ui/basics";
import { useSite } from "@/shared/ui/site-context";

/** What leaves: originals untouched, new files beside them, pages rewritten. */
export function HandoverScreen() {
  const site = useSite();
  const done = site.run_state === "done" && site.run_id !== null;
  const handover = useQuery({
    queryKey: ["run", site.run_id, "handover"],
    queryFn: () =>
      told(api.GET("/api/v1/runs/{run_id}/handover", { params: { path: { run_id: site.run_id ?? 0 } } })),
    enabled: done,
  });
  if (!done) {
    return (
      <Empty>
        There is a handover once a run is done.{" "}
        <Link to="/sites/$siteId/runs" params={{ siteId: String(site.id) }}>
          See the run
        </Link>
      </Empty>
    );
  }
  if (handover.isPending) return <Loading screen what="the handover" />;
  if (handover.isError) return <Failed screen error={handover.error} again={() => handover.refetch()} />;
  const h = handover.data;
  return (
    <>
      <Title
        says="The site's own folder structure with every original untouched, the new files beside them, and the pages rewritten: unpack it over the site, or compare first."
        side={
          <a
            href={`/api/v1/runs/${site.run_id}/handover.zip`}
            download={h.archive_name}
            className={buttonLook}
          >
            <Download size={16} aria-hidden="true" /> Download {h.archive_name}
          </a>
        }
      >
        Handover
      </Title>
      <dl className="mb-8 flex flex-wrap gap-x-12 gap-y-4">
        <Fact name="files in all">{count(h.files)}</Fact>
        <Fact name="new image files">{count(h.new_files)}</Fact>
        <Fact name="their bytes">{bytes(h.new_bytes)}</Fact>
        <Fact name="pages and style sheets rewritten">{count(h.rewritten.length)}</Fact>
      </dl>
      <div className="grid max-w-[1000px] gap-10 lg:grid-cols-2">
        <section>
          <h2 className="mb-3">What changes in a page</h2>
          <ul className="list-disc space-y-1.5 pl-5">
            <li>
              An img becomes a picture with AVIF, WebP and the fallback; alt, class and all else stay on the
              img.
            </li>
            <li>
              Width and height are given where they were missing, so the page does not jump while it loads.
            </li>
            <li>Backgrounds in style sheets get image-set(), with a plain fallback before it.</li>
            <li>Every byte outside the changed tags stays as it was.</li>
          </ul>
          <p className="mt-4 text-ink-soft">
            manifest.json lists every new file with its original and settings; savings.csv has a row for each
            page.
          </p>
        </section>
        <section>
          <h2 className="mb-3">{counted(h.rewritten.length, "file")} rewritten</h2>
          {h.faults.map((f) => (
            <p key={f.message} className="mb-2 text-madder">
              {f.message}
            </p>
          ))}
          <ul className="figure max-h-[420px] overflow-y-auto whitespace-normal" tabIndex={0}>
            {h.rewritten.map((path) => (
              <li key={path}>{path}</li>
            ))}
          </ul>
        </section>
      </div>
    </>
  );
}
