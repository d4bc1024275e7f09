import { type KeyboardEvent, useState } from "react";
import type { Schemas } from "@/shared/api/client";
import { bytes, fileName } from "@/shared/format/figures";
import { type BudgetState, FILLS } from "./state";

type Segment = Schemas["Segment"];
type Props = {
  name: string;
  total: number;
  segments: Segment[];
  state: BudgetState;
  /** Without one, there is no tick. */
  budget?: number;
  scale: number;
  after?: number;
  onOpen?: (imageId: number) => void;
};

const BAR = 16;
const THIN = 6;

/**
 * A page as one bar: each picture is a segment as wide as its bytes, the heaviest first, with the budget as
 * a tick across; below it, thinner, the same page after treatment. All strips of a list share one scale.
 */
export function WeightStrip({ name, total, segments, state, budget, scale, after, onOpen }: Props) {
  const [chosen, setChosen] = useState<number | null>(null);
  const share = (n: number) => `${(n / Math.max(scale, budget ?? 0, 1)) * 100}%`;
  const offsets = starts(segments);
  const named = chosen === null ? undefined : segments[chosen];

  function onKey(event: KeyboardEvent) {
    const step = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (step && segments.length) {
      event.preventDefault();
      setChosen(((chosen ?? (step > 0 ? -1 : 0)) + step + segments.length) % segments.length);
    } else if (event.key === "Enter" && named) {
      onOpen?.(named.image_id);
    } else if (event.key === "Escape") {
      setChosen(null);
    }
  }

  const height = BAR + (after === undefined ? 0 : THIN + 2) + 6;
  return (
    <div
      role="group"
      aria-label={`Weight of ${name}: ${bytes(total)}${budget === undefined ? "" : ` of ${bytes(budget)}`}. Arrow keys name its pictures, Enter opens one.`}
      tabIndex={0}
      onKeyDown={onKey}
      onBlur={() => setChosen(null)}
      onMouseLeave={() => setChosen(null)}
      className="relative"
    >
      <svg width="100%" height={height} className="block overflow-visible" aria-hidden="true">
        <rect x="0" y="3" width={share(total)} height={BAR} fill={FILLS[state]} opacity="0.55" />
        {segments.map((s, i) => (
          <rect
            key={s.path}
            x={share(offsets[i] ?? 0)}
            y="3"
            width={share(s.bytes)}
            height={BAR}
            fill={FILLS[state]}
            stroke={i === chosen ? "var(--ink)" : "var(--paper)"}
            strokeWidth={i === chosen ? 2 : 1}
            onMouseEnter={() => setChosen(i)}
            onClick={() => onOpen?.(s.image_id)}
            className={onOpen ? "cursor-pointer" : ""}
          />
        ))}
        {after !== undefined && (
          <rect x="0" y={BAR + 5} width={share(after)} height={THIN} fill="var(--thistle)" />
        )}
        {budget !== undefined && (
          <line
            x1={share(budget)}
            x2={share(budget)}
            y1="0"
            y2={height}
            stroke="var(--ink)"
            strokeWidth="2"
          />
        )}
      </svg>
      {named && (
        <p
          role="status"
          className="figure pointer-events-none absolute top-full left-0 z-10 rounded border border-rule bg-card px-2 py-1 text-[12px] shadow-md"
        >
          {fileName(named.path)} · {bytes(named.bytes)}
        </p>
      )}
    </div>
  );
}

/** Where each segment begins, in bytes. */
function starts(segments: Segment[]): number[] {
  let at = 0;
  return segments.map((s) => {
    const start = at;
    at += s.bytes;
    return start;
  });
}
