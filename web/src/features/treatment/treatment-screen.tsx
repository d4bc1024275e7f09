import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, told } from "@/shared/api/client";
import { forecastQuery, runQuery, siteQuery } from "@/shared/api/queries";
import { bytes, count, counted } from "@/shared/format/figures";
import { Button, Empty, Failed, Loading, Title } from "@/shared/ui/basics";
import { Choice } from "@/shared/ui/choice";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";

const LOOKS = [
  ["fixed", "Fixed qualities"],
  ["exacting", "Exacting"],
  ["faithful", "Faithful"],
  ["everyday", "Everyday"],
  ["lean", "Lean"],
] as const;
type Look = (typeof LOOKS)[number][0];
const SCORES = { exacting: 85, faithful: 75, everyday: 65, lean: 50 } as const;

/** What a treatment would do, and the button that starts it. */
export function TreatmentScreen() {
  const site = useSite();
  const siteId = String(site.id);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const say = useNotice();
  const ready = site.capture.state === "ready";
  const forecast = useQuery({ ...forecastQuery(site.capture.id), enabled: ready });
  const going = ["waiting", "running", "finishing"].includes(site.run_state ?? "");
  const [look, setLook] = useState<Look>("fixed");
  const start = useMutation({
    mutationFn: () =>
      told(
        api.POST("/api/v1/captures/{capture_id}/runs", {
          params: {
            path: { capture_id: site.capture.id },
            query: { fidelity: look === "fixed" ? undefined : look },
          },
        }),
      ),
    onSuccess: async (run) => {
      queries.setQueryData(runQuery(run.id).queryKey, run);
      await queries.invalidateQueries({ queryKey: siteQuery(site.id).queryKey });
      void navigate({ to: "/sites/$siteId/runs", params: { siteId } });
    },
    onError: (error) => say(error.message),
  });
  if (!ready) return <Empty>The site is not read yet.</Empty>;
  if (forecast.isPending) return <Loading what="the forecast" />;
  if (forecast.isError) return <Failed error={forecast.error} again={() => forecast.refetch()} />;
  const f = forecast.data;
  return (
    <>
      <Title
        says={`${bytes(f.bytes)} of originals, up to ${count(f.renditions)} new files. Originals stay untouched; nothing is handed over before you say so.`}
        side={
          <Button
            tone="main"
            onClick={() => start.mutate()}
            disabled={start.isPending || going || f.images === 0}
          >
            {going ? "A run is going on" : `Treat ${counted(f.images, "image")}`}
          </Button>
        }
      >
        {f.images === 0 ? "Nothing to treat" : `${counted(f.images, "image")} to treat`}
      </Title>
      <div className="mb-8">
        <Choice label="Look" value={look} choices={LOOKS} onChange={setLook} />
        <p className="mt-1 max-w-[90ch] text-ink-soft">
          {look === "fixed"
            ? `One quality for all: AVIF ${f.rules.avif_quality}, WebP ${f.rules.webp_quality}, JPEG ${f.rules.jpeg_quality}. Quick, but busy pictures come out heavier and smooth ones softer than they need be.`
            : `Every photograph keeps a score of ${SCORES[look]} or more in every format, with the fewest bytes that do: each is encoded a few times and judged whole, which takes about four times as long.`}
        </p>
      </div>
      <section className="grid max-w-[1000px] gap-10 lg:grid-cols-2">
        <div>
          <h2 className="mb-3">What is made of each</h2>
          <ul className="list-disc space-y-1.5 pl-5">
            <li>
              AVIF, WebP and a fallback of the old kind (JPEG or PNG), at the widths that the markup asks for.
            </li>
            <li>Never larger than the original, in pixels or in bytes; proportions and transparency stay.</li>
            <li>Turned upright, colours converted to sRGB, all other metadata taken out.</li>
            <li>Flat graphics without loss; photographs at the look chosen above.</li>
            <li>No wider than {count(f.rules.max_width)} pixels.</li>
            <li>
              A format that saves less than {count(f.rules.worth_share * 100)} % over the next one is dropped.
            </li>
          </ul>
        </div>
        <div>
          <h2 className="mb-3">What is left alone</h2>
          {f.left_alone.length === 0 && <p className="text-ink-soft">Nothing.</p>}
          <table className="border-collapse">
            <tbody className="divide-y divide-rule">
              {f.left_alone.map((l) => (
                <tr key={l.reason}>
                  <td className="figure py-1.5 pr-4 text-right align-top">{count(l.count)}</td>
                  <td className="py-1.5">{l.reason}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </section>
    </>
  );
}
