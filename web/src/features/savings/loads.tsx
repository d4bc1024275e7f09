import type { Schemas } from "@/shared/api/client";
import { bytes, count, counted } from "@/shared/format/figures";
import { TableHead } from "@/shared/ui/table-head";
import type { View } from "@/shared/ui/view";

type Report = Schemas["LoadReport"];

type Props = { report: Report; view: Pick<View, "screen" | "tier"> };

function totalOf({ report, view }: Props) {
  return report.totals.find((t) => t.screen === view.screen && t.tier === view.tier);
}

/** What the handed-over pages load on a screen: predicted from their markup, with what stays and why. */
export function Loads({ report, view }: Props) {
  const total = totalOf({ report, view });
  if (!total) return null;
  return (
    <section aria-labelledby="loads" className="mt-8 border-t border-rule pt-5">
      <h2 id="loads">What is sure, and what stays</h2>
      {total.overshoot !== null && (
        <p className="mt-3 max-w-[80ch]">
          On a {total.screen}, scrolled through, pages load {bytes(total.overshoot)} more than the narrowest
          files that would do.
        </p>
      )}
      <Unknown pages={report.unknown ?? {}} />
      <Compared report={report} />
      {report.unused_files > 0 && (
        <p className="mt-2 text-ink-soft">
          {counted(report.unused_files, "file")} of {bytes(report.unused_bytes)} were made and are not handed
          over: no place can use them.
        </p>
      )}
      <StillLoaded report={report} />
    </section>
  );
}

/** Pages that stay as they were, and why. */
function Unknown({ pages }: { pages: Record<string, string> }) {
  return (
    <ul className="mt-2 text-ochre">
      {Object.entries(pages).map(([page, why]) => (
        <li key={page}>
          {page} stays as it was: {why}
        </li>
      ))}
    </ul>
  );
}

function Compared({ report }: { report: Report }) {
  const c = report.comparison;
  if (!c) {
    return (
      <p className="mt-2 text-ink-soft">
        No browser was at hand: images took the forms that are safe by their pages' rules alone.
      </p>
    );
  }
  const where = `${counted(c.pages, "page")} compared in Chromium on ${counted(c.screens, "screen")}`;
  return (
    <>
      <p className="mt-2">
        {where}:{" "}
        {c.different.length ? (
          <strong className="text-madder">
            {counted(new Set(c.different.map((d) => d.page)).size, "page")} would look different
          </strong>
        ) : (
          <strong className="text-stem">every box is where it was</strong>
        )}
        {c.safer > 0 && `; ${counted(c.safer, "image")} took a safer form for that`}.
      </p>
      {c.unsure.length > 0 && (
        <p className="text-ink-soft">
          Never twice the same, so only what is safe by their rules was done: {c.unsure.join(", ")}.
        </p>
      )}
      <ul className="text-madder">
        {c.different.map((d) => (
          <li key={`${d.page} ${d.screen} ${d.words}`}>
            {d.page} on {d.screen}: {d.words}
          </li>
        ))}
      </ul>
    </>
  );
}

function StillLoaded({ report }: { report: Report }) {
  if (report.still_loaded.length === 0) return null;
  return (
    <details className="mt-3">
      <summary className="cursor-pointer">
        Originals still loaded on some page: {count(report.still_loaded.length)}
      </summary>
      <table className="mt-2 w-full border-collapse">
        <TableHead words={["Image", "weighs", "on", "why"]} gap="pr-6" />
        <tbody className="divide-y divide-rule">
          {report.still_loaded.map((s) => (
            <tr key={s.path}>
              <td className="py-1.5 pr-6">{s.path}</td>
              <td className="figure py-1.5 pr-6">{bytes(s.bytes)}</td>
              <td className="figure py-1.5 pr-6">{counted(s.pages, "page")}</td>
              <td className="py-1.5 text-ink-soft">{s.reason}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
