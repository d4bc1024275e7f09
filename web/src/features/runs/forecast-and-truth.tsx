import { useQuery } from "@tanstack/react-query";
import { api, type Schemas, told } from "@/shared/api/client";
import { bytes, count, duration } from "@/shared/format/figures";
import { useSite } from "@/shared/ui/site-context";
import { TableHead } from "@/shared/ui/table-head";
import { useTier } from "@/shared/ui/vocabulary";

/** What was foretold when the run was started, and once it was sketched, beside what came of it. */
export function ForecastAndTruth({ run }: { run: number }) {
  const tier = useTier("");
  const alone = useSite().pictures_alone;
  const all = alone ? "All pictures" : "All pages";
  const found = useQuery({
    queryKey: ["run", run, "forecast"],
    queryFn: () => told(api.GET("/api/v1/runs/{run_id}/forecast", { params: { path: { run_id: run } } })),
  });
  const f = found.data;
  if (!f) return null;
  const rows = f.totals.filter((t) => t.tier === tier.name && t.part === "scrolled");
  const sketched = f.files_sketched !== null;
  const over = alone
    ? undefined
    : worst(f.totals.filter((t) => t.tier === tier.name && t.part === "opening"));
  return (
    <section aria-labelledby="truth" className="mb-8 overflow-x-auto">
      <h2 id="truth" className="mb-2">
        Forecast and truth
      </h2>
      <table className="w-full border-collapse">
        <TableHead
          words={["figure", "foretold", ...(sketched ? ["once sketched"] : []), "truth"]}
          gap="pr-6"
        />
        <tbody className="divide-y divide-rule">
          {rows.map((t) => (
            <Row
              key={t.screen}
              name={t.screen ? `${all} on a ${t.screen}, ${tier.words}` : `${all}, ${tier.words}`}
              told={[t.foretold, ...(t.sketched ? [t.sketched] : [])]}
              truth={t.after}
              words={bytes}
            />
          ))}
          {over && (
            <Row
              name={`Pages over budget${over.screen ? ` at opening, on a ${over.screen}` : ""}`}
              told={[over.over_foretold, ...(sketched ? [null] : [])]}
              truth={over.over_after}
              words={count}
            />
          )}
          <Row
            name="Time of the run"
            told={[f.seconds, ...(sketched ? [f.seconds_sketched] : [])]}
            truth={f.took}
            words={duration}
          />
          <Row
            name="Files made"
            told={[f.files, f.files_sketched].flatMap(exactly)}
            truth={f.made}
            words={count}
          />
        </tbody>
      </table>
      {f.images > 0 && (
        <p className="mt-2 text-ink-soft">
          {count(f.near)} of {count(f.images)} images came within 30 % of what was foretold of each
          {f.near_sketched === null ? "" : `, ${count(f.near_sketched)} once they were sketched`}.
        </p>
      )}
    </section>
  );
}

type Range = Schemas["RangeOut"];
type RowProps = {
  name: string;
  told: readonly (Range | null)[];
  truth: number;
  words: (n: number) => string;
};

function Row({ name, told: forecasts, truth, words }: RowProps) {
  return (
    <tr>
      <th scope="row" className="py-1.5 pr-6 text-left font-normal">
        {name}
      </th>
      {forecasts.map((told, n) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: columns keep their places
        <td key={n} className="figure whitespace-normal py-1.5 pr-6">
          {told ? <Told told={told} truth={truth} words={words} /> : "–"}
        </td>
      ))}
      <td className="figure py-1.5">{words(truth)}</td>
    </tr>
  );
}

function Told({ told: r, truth, words }: { told: Range; truth: number; words: (n: number) => string }) {
  return (
    <>
      <span className="inline-block">{words(r.likely)}</span>{" "}
      {r.low !== r.high && (
        <span className="inline-block">
          ({words(r.low)} to {words(r.high)})
        </span>
      )}
      <span className="block text-ink-soft text-sm">{off(r.likely, truth)}</span>
    </>
  );
}

/** The screen on which most pages are over their budgets, as it came to be or else as it was foretold. */
function worst(totals: Schemas["RanTotal"][]): Schemas["RanTotal"] | undefined {
  return totals.toSorted(
    (a, b) => b.over_after - a.over_after || b.over_foretold.likely - a.over_foretold.likely,
  )[0];
}

/** A figure that was told without a range; nothing where there is none. */
function exactly(n: number | null): Range[] {
  return n === null ? [] : [{ likely: n, low: n, high: n }];
}

function off(likely: number, truth: number): string {
  if (likely === truth) return "exact";
  if (truth <= 0) return "–";
  const share = Math.round((likely / truth - 1) * 100);
  return share === 0 ? "off by less than 1 %" : `off by ${share > 0 ? "+" : "−"}${Math.abs(share)} %`;
}
