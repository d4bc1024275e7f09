import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { Download } from "lucide-react";
import { useState } from "react";
import { api, told } from "@/shared/api/client";
import { bytes, count, counted } from "@/shared/format/figures";
import { buttonLook, Empty, Fact, Failed, Loading, Title } from "@/shared/ui/basics";
import { useSite } from "@/shared/ui/site-context";
import { Check } from "./check";

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
  const patch = `/api/v1/runs/${site.run_id}/handover.patch`;
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
      <Check run={site.run_id ?? 0} />
      <div className="grid gap-10 lg:grid-cols-[minmax(0,22rem)_minmax(0,1fr)]">
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
            <li>
              Where Chromium was at hand, sizes follow from boxes measured at many widths. The largest picture
              of the first screen is loaded first, and what no first screen shows later.
            </li>
            <li>Backgrounds in style sheets get image-set(), with a plain fallback before it.</li>
            <li>Every byte outside the changed tags stays as it was.</li>
          </ul>
          <p className="mt-4 text-ink-soft">
            manifest.json lists every new file with its original and settings; savings.csv has a row for each
            page.
          </p>
          <h2 className="mt-8 mb-3">As a patch</h2>
          <p className="mb-3">
            The changed lines alone, as a unified diff for patch -p1 or git apply. The new image files are in
            the archive.
          </p>
          <p className="flex flex-wrap gap-x-6 gap-y-2">
            <a href={patch} download={h.patch_name}>
              Download {h.patch_name}
            </a>
            <a href={`${patch}?reverse=true`} download={h.patch_name.replace(".patch", "-reverse.patch")}>
              Download its reverse
            </a>
          </p>
        </section>
        <section>
          <h2 className="mb-3">{counted(h.rewritten.length, "file")} rewritten</h2>
          {h.faults.map((f) => (
            <p key={f.message} className="mb-2 text-madder">
              {f.message}
            </p>
          ))}
          <ul className="whitespace-normal">
            {h.rewritten.map((path) => (
              <Rewritten key={path} run={site.run_id ?? 0} path={path} />
            ))}
          </ul>
        </section>
      </div>
    </>
  );
}

/** A rewritten file that shows its changed lines when it is opened. */
function Rewritten({ run, path }: { run: number; path: string }) {
  const [open, setOpen] = useState(false);
  return (
    <li className="border-b border-rule">
      <details onToggle={(event) => setOpen(event.currentTarget.open)}>
        <summary className="figure min-h-6 cursor-pointer py-1 break-all">{path}</summary>
        {open && <Changes run={run} path={path} />}
      </details>
    </li>
  );
}

const LOOKS: Record<string, string> = {
  "+": "border-stem",
  "-": "border-madder text-ink-soft",
  "@": "border-transparent text-ink-soft",
};

/** "@@ -11,7 +12,9 @@" in words: where the rewritten file goes on. */
function fromLine(mark: string): string {
  return `line ${/\+(\d+)/.exec(mark)?.[1] ?? "?"}`;
}

function Changes({ run, path }: { run: number; path: string }) {
  const changes = useQuery({
    queryKey: ["run", run, "changes", path],
    queryFn: () =>
      told(
        api.GET("/api/v1/runs/{run_id}/handover/changes", {
          params: { path: { run_id: run }, query: { path } },
        }),
      ),
    staleTime: Number.POSITIVE_INFINITY,
  });
  if (changes.isPending) return <Loading what="the changed lines" />;
  if (changes.isError) return <Failed error={changes.error} again={() => changes.refetch()} />;
  const { lines, more } = changes.data;
  return (
    <section className="mb-3" aria-label={`Changed lines of ${path}`}>
      {lines.map((line, n) => (
        <code
          // biome-ignore lint/suspicious/noArrayIndexKey: the lines of a finished run never change
          key={n}
          className={`block border-l-4 pl-2 text-[0.8rem] break-all whitespace-pre-wrap ${LOOKS[line.charAt(0)] ?? "border-transparent"}`}
        >
          {line.startsWith("@@") ? fromLine(line) : line}
        </code>
      ))}
      {more > 0 && <p>{counted(more, "more line")}; the patch has them all.</p>}
    </section>
  );
}
