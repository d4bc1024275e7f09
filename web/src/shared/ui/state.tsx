import type { Schemas } from "@/shared/api/client";

export type BudgetState = Schemas["PageRow"]["state"];

/** Fills for the three states: within is plain, near is dotted, over is hatched. */
export const FILLS: Record<BudgetState, string> = {
  within: "var(--stem)",
  near: "url(#near-dots)",
  over: "url(#over-hatch)",
};

export const INKS: Record<BudgetState, string> = {
  within: "text-stem",
  near: "text-ochre",
  over: "text-madder",
};

/** The patterns, once on every screen. */
export function Patterns() {
  return (
    <svg width="0" height="0" className="absolute" aria-hidden="true">
      <title>Patterns</title>
      <defs>
        <pattern id="near-dots" width="5" height="5" patternUnits="userSpaceOnUse">
          <rect width="5" height="5" fill="var(--ochre)" />
          <circle cx="2.5" cy="2.5" r="1" fill="var(--paper)" />
        </pattern>
        <pattern
          id="over-hatch"
          width="6"
          height="6"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <rect width="6" height="6" fill="var(--madder)" />
          <rect width="1.6" height="6" fill="var(--paper)" opacity="0.75" />
        </pattern>
      </defs>
    </svg>
  );
}
