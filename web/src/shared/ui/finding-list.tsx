import type { ReactNode } from "react";
import type { Schemas } from "@/shared/api/client";
import { stake } from "@/shared/format/findings";
import { Failed, Loading } from "./basics";

type Finding = Schemas["FindingOut"];
type Props = {
  found: { isPending: boolean; isError: boolean; error: Error | null; data?: Finding[]; refetch: () => void };
};

/** What is wrong with one image or page, in sentences. */
export function FindingList({ found }: Props) {
  if (found.isPending) return <Loading what="the findings" />;
  if (found.isError && found.error) return <Failed error={found.error} again={found.refetch} />;
  if (!found.data?.length) return <p className="text-ink-soft">Nothing.</p>;
  return <FindingRows rows={found.data} sentence={(f) => f.sentence} />;
}

/** One line a finding: its sentence, its place in the source, and the bytes at stake. */
export function FindingRows({ rows, sentence }: { rows: Finding[]; sentence: (f: Finding) => ReactNode }) {
  return (
    <ul className="max-w-[100ch] divide-y divide-rule border-y border-rule">
      {rows.map((f) => (
        <li key={f.id} className="grid grid-cols-[minmax(0,1fr)_120px] gap-4 py-1.5">
          <span>
            {sentence(f)}
            {f.source && (
              <span className="figure block text-[12px] text-ink-soft">
                {f.source}
                {f.line ? `, line ${f.line}` : ""}
              </span>
            )}
          </span>
          <span className="figure text-right">{stake(f)}</span>
        </li>
      ))}
    </ul>
  );
}
