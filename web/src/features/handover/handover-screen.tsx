import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { Download } from "lucide-react";
import { useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { behindDoor } from "@/shared/api/door";
import { bytes, count, counted } from "@/shared/format/figures";
import { buttonLook, Empty, Fact, Failed, Loading, Title } from "@/shared/ui/basics";
import { Choice } from "@/shared/ui/choice";
import { useSite } from "@/shared/ui/site-context";
import { Check } from "./check";
import { Elsewhere } from "./elsewhere";
import { Wording } from "./wording";

/** The part that is shown, kept in the address. */
function usePart(): [Part, (part: Part) => void] {
  const { part } = useSearch({ from: "/sites/$siteId/handover" });
  const navigate = useNavigate({ from: "/sites/$siteId/handover" });
  const known = PARTS.find(([key]) => key === part)?.[0] ?? "check";
  return [known, (next) => void navigate({ search: { part: next }, replace: true })];
}

/** What leaves: originals untouched, new files beside them, pages rewritten. */
export function HandoverScreen() {
  const site = useSite();
  const done = site.run_state === "done" && site.run_id !== null;
  const [part, setPart] = usePart();
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
  const run = site.run_id ?? 0;
  // Without pages, nothing is rewritten or compared, unless the rules ask for it.
  const parts = site.pictures_alone && !h.demands_check ? OF_PICTURES : PARTS;
  const shown = parts.find(([key]) => key === part)?.[0] ?? parts[0][0];
  return (
    <>
      <Title
        says={site.pictures_alone ? PICTURES[h.form] : FORMS[h.form]}
        side={
          <a
            href={behindDoor(`/api/v1/runs/${run}/handover.zip`)}
            download={h.archive_name}
            className={buttonLook}
          >
            <Download size={16} aria-hidden="true" /> Download {h.archive_name}
          </a>
        }
      >
        Handover
      </Title>
      {h.demands_check && (
        <p className="mb-4 max-w-[80ch]">
          The rules of this run say that nothing leaves before a check has passed.
        </p>
      )}
      <dl className="mb-6 flex flex-wrap gap-x-12 gap-y-4">
        <Fact name="files in all">{count(h.files)}</Fact>
        <Fact name="new image files">{count(h.new_files)}</Fact>
        <Fact name="their bytes">{bytes(h.new_bytes)}</Fact>
        {!site.pictures_alone && (
          <Fact name="pages and style sheets rewritten">{count(h.rewritten.length)}</Fact>
        )}
        {h.renamed > 0 && <Fact name="files renamed">{count(h.renamed)}</Fact>}
        {h.taken_back > 0 && <Fact name="images taken back by hand">{count(h.taken_back)}</Fact>}
      </dl>
      <div className="mb-6">
        <Choice label="Part of the handover" value={shown} choices={parts} onChange={setPart} />
      </div>
      {shown === "check" && <Check run={run} />}
      {shown === "changes" && <Changed run={run} handover={h} />}
      {shown === "alternative" && <Wording kind="alternative" run={run} />}
      {shown === "name" && (
        <>
          <Kept names={h.not_renamed} />
          <Wording kind="name" run={run} />
        </>
      )}
      {shown === "elsewhere" && <Elsewhere run={run} />}
    </>
  );
}

const PARTS = [
  ["check", "Check"],
  ["changes", "What changes"],
  ["alternative", "Alternative texts"],
  ["name", "Names of files"],
  ["elsewhere", "Templates"],
] as const;
type Part = (typeof PARTS)[number][0];
const OF_PICTURES = [["name", "Names of files"]] as const satisfies readonly (typeof PARTS)[number][];

const FORMS: Record<Schemas["HandoverOut"]["form"], string> = {
  markup:
    "The site's own folder structure with every original untouched, the new files beside them, and the pages rewritten: unpack it over the site, or compare first.",
  "files-only": "The new image files alone, for pages that are written elsewhere.",
  "same-addresses":
    "Pages and addresses stay as they are. New files stand beside the originals, and the server gives each browser the lightest that it shows: the snippets for nginx and Apache are in the folder server-snippets.",
  "in-place":
    "Pages stay as they are. Smaller files take the originals' names and formats; the originals are kept in a folder of their own.",
};

const BESIDE =
  "The new files of every picture, in the folders of their originals. Pictures that nothing was made of are there as they were.";
const PICTURES: typeof FORMS = { ...FORMS, markup: BESIDE, "files-only": BESIDE };

/** Files that could not get their new names, and why. */
function Kept({ names }: { names: Record<string, string> }) {
  const found = Object.entries(names);
  if (found.length === 0) return null;
  return (
    <section className="mb-4">
      <h2 className="mb-1">{counted(found.length, "file")} can't be renamed</h2>
      <ul>
        {found.map(([path, why]) => (
          <li key={path}>
            <span className="figure break-all">{path}</span>: {why}
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What is rewritten, line by line, and the same as a patch. */
function Changed({ run, handover: h }: { run: number; handover: Schemas["HandoverOut"] }) {
  const patch = behindDoor(`/api/v1/runs/${run}/handover.patch`);
  return (
    <div className="grid gap-10 lg:grid-cols-[minmax(0,22rem)_minmax(0,1fr)]">
      <section>
        {h.form === "markup" && (
          <>
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
                Where Chromium was at hand, sizes follow from boxes measured at many widths. The largest
                picture of the first screen is loaded first, and what no first screen shows later.
              </li>
              <li>
                Backgrounds in style sheets get image-set(), with a plain fallback before it. One that is the
                largest paint is preloaded.
              </li>
              <li>Social cards get a light file of no more than 1,200 × 630 pixels.</li>
              <li>Every byte outside the changed tags stays as it was.</li>
            </ul>
          </>
        )}
        <p className="mt-4 text-ink-soft">
          manifest.json lists every new file with its original and settings; savings.csv has a row for each
          page.
        </p>
        <h2 className="mt-8 mb-3">Parts of it</h2>
        <p className="mb-3">
          The changed lines alone, as a unified diff for patch -p1 or git apply; and the new files alone.
        </p>
        <p className="flex flex-wrap gap-x-6 gap-y-2">
          <a href={patch} download={h.patch_name}>
            Download {h.patch_name}
          </a>
          <a href={`${patch}?reverse=true`} download={h.patch_name.replace(".patch", "-reverse.patch")}>
            Download its reverse
          </a>
          <a href={behindDoor(`/api/v1/runs/${run}/handover.zip?files_only=true`)} download>
            Download the new files alone
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
            <Rewritten key={path} run={run} path={path} />
          ))}
        </ul>
      </section>
    </div>
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
