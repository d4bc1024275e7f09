import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Schemas, told } from "@/shared/api/client";
import { forecastQuery, runQuery, siteQuery } from "@/shared/api/queries";
import { bytes, count, counted } from "@/shared/format/figures";
import { Button, Empty, Failed, Loading, Title } from "@/shared/ui/basics";
import { Choice } from "@/shared/ui/choice";
import { useNotice } from "@/shared/ui/notices";
import { useSite } from "@/shared/ui/site-context";
import { useVocabulary, type Vocabulary } from "@/shared/ui/vocabulary";
import { Rules } from "./rules";

const KEPT = [
  ["none", "Nothing"],
  ["copyright", "Copyright and artist"],
  ["keep", "All but orientation and preview"],
] as const;
type Kept = (typeof KEPT)[number][0];
const OPTIONS = [
  ["keep_p3", "Leave Display P3 pictures in their wide gamut"],
  ["sharpen", "Sharpen a little after strong reduction"],
  ["svg_scripts", "Take scripts out of vector drawings"],
  ["background_widths", "Give backgrounds narrower files on narrow screens"],
  ["demand_check", "Hand over nothing before a check in a browser has passed"],
] as const;
type Options = Partial<Record<(typeof OPTIONS)[number][0], boolean>>;

const FORMS = [
  ["markup", "In the markup"],
  ["same-addresses", "At the same addresses"],
  ["in-place", "In place"],
] as const;
type Form = (typeof FORMS)[number][0];
const LEAVES: Record<Form, string> = {
  markup: "Pages are rewritten to offer each browser the files that it shows, in the widths that it needs.",
  "same-addresses":
    "Pages stay. Files of the originals' own size stand beside them, and your server chooses by what a browser accepts; snippets for nginx and Apache come along.",
  "in-place":
    "Pages and names stay. Each file becomes smaller in its own format and size; the originals are kept in a folder of their own.",
};

/** What a treatment would do, and the button that starts it. */
export function TreatmentScreen() {
  const site = useSite();
  const siteId = String(site.id);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const say = useNotice();
  const ready = site.capture.state === "done";
  const forecast = useQuery({ ...forecastQuery(site.capture.id), enabled: ready });
  const going = site.run_going;
  const vocabulary = useVocabulary();
  const [look, setLook] = useState<Look>("role");
  const looks: [Look, string][] = [
    ["role", "As the rules say"],
    ...vocabulary.fidelities.map((f): [Look, string] => [f.name, capital(f.name)]),
    ["fixed", "Fixed qualities"],
  ];
  // What nobody has touched is as the rules say.
  const [kept, setKept] = useState<Kept>();
  const [options, setOptions] = useState<Options>({});
  const [chosenForm, setForm] = useState<Form>();
  const start = useMutation({
    mutationFn: () =>
      told(
        api.POST("/api/v1/captures/{capture_id}/runs", {
          params: {
            path: { capture_id: site.capture.id },
            query: {
              fidelity: look === "role" ? undefined : look,
              metadata: kept,
              form: chosenForm,
              ...options,
            },
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
  if (forecast.isPending) return <Loading screen what="the forecast" />;
  if (forecast.isError) return <Failed screen error={forecast.error} again={() => forecast.refetch()} />;
  const f = forecast.data;
  const form = chosenForm ?? FORMS.find(([key]) => key === f.rules.form)?.[0] ?? "markup";
  // What is told of files below is planned for pages that are rewritten.
  const inMarkup = form === "markup";
  return (
    <>
      <Title
        says={
          inMarkup
            ? `${bytes(f.bytes)} of originals, up to ${count(f.renditions)} new files. Originals stay untouched; nothing is handed over before you say so.`
            : "Every image in use keeps its pixels. How many files that makes is known after the run; nothing is handed over before you say so."
        }
        side={
          <Button
            tone="main"
            onClick={() => start.mutate()}
            disabled={start.isPending || going || (inMarkup && f.images === 0)}
          >
            {going
              ? "A run is going on"
              : inMarkup
                ? `Treat ${counted(f.images, "image")}`
                : "Treat all images"}
          </Button>
        }
      >
        {!inMarkup
          ? "Images to treat"
          : f.images === 0
            ? "Nothing to treat"
            : `${counted(f.images, "image")} to treat`}
      </Title>
      <div className="mb-8">
        <Choice label="Look" value={look} choices={looks} onChange={setLook} />
        <p className="mt-1 max-w-[90ch] text-ink-soft">{whatIsKept(look, f.rules, vocabulary)}</p>
        <div className="mt-4">
          <span className="mr-4 text-ink-soft">Metadata kept</span>
          <Choice label="Metadata kept" value={kept ?? f.rules.metadata} choices={KEPT} onChange={setKept} />
        </div>
        <div className="mt-3">
          <span className="mr-4 text-ink-soft">How it leaves</span>
          <Choice label="How it leaves" value={form} choices={FORMS} onChange={setForm} />
          <p className="mt-1 max-w-[90ch] text-ink-soft">{LEAVES[form]}</p>
        </div>
        <div className="mt-3 flex flex-wrap gap-x-8 gap-y-2">
          {OPTIONS.map(([name, words]) => (
            <label key={name} className="inline-flex items-center gap-2">
              <input
                type="checkbox"
                checked={options[name] ?? f.rules[name]}
                onChange={(e) => setOptions({ ...options, [name]: e.target.checked })}
              />
              {words}
            </label>
          ))}
        </div>
      </div>
      <Rules forecast={f} />
      {inMarkup && (
        <section className="grid max-w-[1000px] gap-10 lg:grid-cols-2">
          <div>
            <h2 className="mb-3">What is made of each</h2>
            <ul className="list-disc space-y-1.5 pl-5">
              <li>
                AVIF, WebP and a fallback of the old kind (JPEG or PNG), at the widths that the measured boxes
                ask for, up to two pixels a CSS pixel; before a measurement, at those that the markup tells.
              </li>
              <li>
                Never larger than the original, in pixels or in bytes; proportions and transparency stay.
              </li>
              <li>Turned upright, colours converted to sRGB.</li>
              <li>
                Drawn pictures without loss where that is smaller; photographs and AVIF at the look chosen
                above.
              </li>
              <li>
                Animations as WebP and AVIF with their timing; vector drawings without what draws nothing.
              </li>
              <li>No wider than {count(f.rules.max_width)} pixels.</li>
              <li>
                A format must save {count(f.rules.tier_share * 100)} % and {bytes(f.rules.tier_bytes)} a file
                over the next one, or it is dropped.
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
      )}
    </>
  );
}

type Look = Vocabulary["fidelities"][number]["name"] | "role" | "fixed";

/** In words, what every file must keep. */
function whatIsKept(look: Look, rules: Schemas["RulesOut"], { tiers, fidelities }: Vocabulary) {
  if (look === "role" && rules.cap)
    return `The best look within ${bytes(rules.cap)} a file, found by a few encodes of each.`;
  if (look === "fixed" || (look === "role" && rules.fixed)) {
    const qualities = tiers.map((t) => `${t.format} ${rules.qualities[t.name]}`).join(", ");
    return `One quality for all: ${qualities}. Quick, but busy pictures come out heavier and smooth ones softer than they need be.`;
  }
  const how = "Each is encoded a few times and judged whole, for the fewest bytes that keep that.";
  const dense = `${rules.dense_less} points less where only dense screens load a file.`;
  if (look !== "role")
    return `Every picture keeps a score of ${fidelities.find((f) => f.name === look)?.score}, ${dense} ${how}`;
  const scores = new Map<number, string[]>();
  for (const [role, score] of Object.entries(rules.fidelity))
    scores.set(score, [...(scores.get(score) ?? []), role]);
  const parts = [...scores].sort(([a], [b]) => b - a).map(([score, roles]) => `${roles.join(", ")} ${score}`);
  return `Scores by role: ${parts.join("; ")}; lettering ${rules.lettering}; ${dense} ${how}`;
}

function capital(word: string): string {
  return word.charAt(0).toUpperCase() + word.slice(1);
}
