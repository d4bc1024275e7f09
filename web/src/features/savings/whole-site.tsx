import { useState } from "react";
import type { Schemas } from "@/shared/api/client";
import { bytes, count, counted, less } from "@/shared/format/figures";
import { Choice } from "@/shared/ui/choice";
import { TableHead } from "@/shared/ui/table-head";
import type { View } from "@/shared/ui/view";
import { ByTier } from "./by-reference";
import { Loads } from "./loads";

const WAYS = [
  ["role", "By role"],
  ["format", "By format"],
  ["folder", "By folder"],
  ["kind", "By kind"],
] as const;
type Way = (typeof WAYS)[number][0];

const STATES: Record<Schemas["Outcome"]["state"], string> = {
  treated: "treated",
  left: "left as they were",
  held: "held",
  failed: "failed",
  waiting: "waiting",
};

type Props = { savings: Schemas["SavingsOut"]; view: View };

/** The site with each file once, in parts; what stays as it was, and what it takes on the server. */
export function WholeSite({ savings: s, view }: Props) {
  const [way, setWay] = useState<Way>("role");
  const groups = s.groups.filter((g) => g.by === way);
  return (
    <>
      <section aria-labelledby="once">
        <h2 id="once">Each file once</h2>
        <p className="mt-1 max-w-[80ch] text-ink-soft">
          By what pages refer to; after the treatment each picture counts with the widest file that a browser
          may choose. {counted(s.new_files, "new file")} of {bytes(s.new_bytes)} stand on the server beside
          the originals.
        </p>
        <ByTier savings={s} />
        <ul className="mt-4 flex flex-wrap gap-x-8">
          {s.outcomes.map((o) => (
            <li key={o.state}>
              <span className="figure">{count(o.images)}</span> {STATES[o.state]}{" "}
              <span className="text-ink-soft">({bytes(o.bytes)})</span>
            </li>
          ))}
        </ul>
      </section>
      {s.groups.length > 0 && (
        <section aria-labelledby="groups" className="mt-8 border-t border-rule pt-5">
          <h2 id="groups" className="mb-3">
            Where the bytes are
          </h2>
          <Choice label="Parts of the site" value={way} choices={WAYS} onChange={setWay} />
          <table className="mt-3 w-full max-w-[800px] border-collapse">
            <TableHead words={["Images", "in use", "before", "after", "saved"]} gap="pr-6" />
            <tbody className="divide-y divide-rule">
              {groups.map((g) => (
                <tr key={g.name}>
                  <td className="py-1.5 pr-6 break-all">{g.name}</td>
                  <td className="figure py-1.5 pr-6">{count(g.images)}</td>
                  <td className="figure py-1.5 pr-6">{bytes(g.before)}</td>
                  <td className="figure py-1.5 pr-6 text-thistle">{bytes(g.after[view.tier] ?? g.before)}</td>
                  <td className="figure py-1.5 pr-6">{less(g.before, g.after[view.tier] ?? g.before)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
      {s.loads && <Loads report={s.loads} view={view} />}
    </>
  );
}
