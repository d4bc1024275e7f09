/** The audience tiers with their words, the most modern first. */
export type Tier = "avif" | "webp" | "baseline";

export const TIERS = [
  ["avif", "Browsers that show AVIF"],
  ["webp", "WebP, not AVIF"],
  ["baseline", "Neither"],
] as const satisfies readonly (readonly [Tier, string])[];

/** "browsers that show WebP, not AVIF". */
export function tierWords(tier: Tier): string {
  return {
    avif: "browsers that show AVIF",
    webp: "browsers that show WebP, not AVIF",
    baseline: "older browsers",
  }[tier];
}
