import { useQuery } from "@tanstack/react-query";
import { api, type Schemas, told } from "@/shared/api/client";
import { bytes, count, duration } from "@/shared/format/figures";
import { TableHead } from "@/shared/ui/table-head";
import { useTier } from "@/shared/ui/vocabulary";

/** What was foretold when the run was started, beside what came of it. */
export function ForecastAndTruth({ run }: { run: number }) {
  const tier = useTier("");
  const found = useQuery({
    queryKey: ["run", run, "forecast"],
    queryFn: () => told(api.GET("/api/v1/runs/{run_id}/forecast", { params: { path: { run_id: run } } })),
  });
  const f = found.data;
  if (!f) return null;
  const rows = f.totals.filter((t) => t.tier === tier.name && t.part === "scrolled");
  return (
    <section aria-labelledby="truth" className="mb-8 max-w-[860px] overflow-x-auto">
      <h2 id="truth" className="mb-2">
        Forecast and truth
      </h2>
      <table className="w-full border-collapse">
        <TableHead words={["", "foretold", "came to be", "off by"]} gap="pr-6" />
        <tbody className="divide-y divide-rule">
          {rows.map((t) => (
            <Row
              key={t.screen}
              name={t.screen ? `All pages on a ${t.screen}, ${tier.words}` : `All pages, ${tier.words}`}
              foretold={range(t.foretold, bytes)}
              truth={bytes(t.after)}
              off={off(t.foretold.likely, t.after)}
            />
          ))}
          <Row
            name="Time of the run"
            foretold={range(f.seconds, duration)}
            truth={duration(f.took)}
            off={off(f.seconds.likely, f.took)}
          />
          <Row name="Files made" foretold={count(f.files)} truth={count(f.made)} off={off(f.files, f.made)} />
        </tbody>
      </table>
      {f.images > 0 && (
        <p className="mt-2 text-ink-soft">
          {count(f.near)} of {count(f.images)} images came within 30 % of what was foretold of each.
        </p>
      )}
    </section>
  );
}

type RowProps = { name: string; foretold: string; truth: string; off: string };

function Row({ name, foretold, truth, off: by }: RowProps) {
  return (
    <tr>
      <th scope="row" className="py-1.5 pr-6 text-left font-normal">
        {name}
      </th>
      <td className="figure py-1.5 pr-6">{foretold}</td>
      <td className="figure py-1.5 pr-6">{truth}</td>
      <td className="figure py-1.5 pr-6">{by}</td>
    </tr>
  );
}

function range(r: Schemas["RangeOut"], words: (n: number) => string): string {
  return r.low === r.high ? words(r.likely) : `${words(r.likely)} (${words(r.low)} to ${words(r.high)})`;
}

function off(likely: number, truth: number): string {
  if (truth <= 0) return "–";
  const share = Math.round((likely / truth - 1) * 100);
  return share === 0 ? "under 1 %" : `${share > 0 ? "+" : "−"}${Math.abs(share)} %`;
}
