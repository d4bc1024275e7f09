import type { Schemas } from "@/shared/api/client";
import { TIERS, type Tier } from "@/shared/format/tiers";

/** What the audit shows, kept in the address: the screen (none: counted by reference), tier, part and connection. */
export type AuditView = { screen: string; tier: Tier; part: "opening" | "scrolled"; line: string };

export const PARTS = [
  ["opening", "At opening"],
  ["scrolled", "Scrolled through"],
] as const;

export function readView(search: Record<string, unknown>): Partial<AuditView> {
  const found: Partial<AuditView> = {};
  if (typeof search.screen === "string" && search.screen) found.screen = search.screen;
  if (search.part === "scrolled") found.part = "scrolled";
  const tier = TIERS.find(([key]) => key === search.tier)?.[0];
  if (tier && tier !== "avif") found.tier = tier;
  if (typeof search.line === "string" && search.line) found.line = search.line;
  return found;
}

export function withDefaults(view: Partial<AuditView>): AuditView {
  return { screen: "", tier: "avif", part: "opening", line: "", ...view };
}

/** Where the chosen connection stands among the site's; without a choice the middle one. */
export function lineIndex(connections: Schemas["Connection"][], name: string): number {
  const found = connections.findIndex((c) => c.name === name);
  return found >= 0 ? found : Math.floor(connections.length / 2);
}
