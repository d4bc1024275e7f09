/** What the audit shows, kept in the address: the screen (none: counted by reference), the part, the connection. */
export type AuditView = { screen: string; part: "opening" | "scrolled"; line: string };

export const PARTS = [
  ["opening", "At opening"],
  ["scrolled", "Scrolled through"],
] as const;

/** Connections by their bits a second and the round trip that a page waits for before images flow. */
export const LINES = [
  { key: "56k", words: "56 kbit/s modem", bits: 56_000, wait: 0.3 },
  { key: "1m", words: "1 Mbit/s", bits: 1_000_000, wait: 0.1 },
  { key: "1.6m", words: "1.6 Mbit/s, 150 ms", bits: 1_600_000, wait: 0.15 },
  { key: "10m", words: "10 Mbit/s", bits: 10_000_000, wait: 0.05 },
  { key: "50m", words: "50 Mbit/s", bits: 50_000_000, wait: 0.02 },
] as const;

export function readView(search: Record<string, unknown>): Partial<AuditView> {
  const found: Partial<AuditView> = {};
  if (typeof search.screen === "string" && search.screen) found.screen = search.screen;
  if (search.part === "scrolled") found.part = "scrolled";
  if (LINES.some((l) => l.key === search.line)) found.line = search.line as string;
  return found;
}

export function withDefaults(view: Partial<AuditView>): AuditView {
  return { screen: "", part: "opening", line: "1.6m", ...view };
}

/** Seconds that so many image bytes take on a connection, one round trip included. */
export function seconds(bytes: number, key: string): number {
  const line = LINES.find((l) => l.key === key) ?? LINES[2];
  return bytes === 0 ? 0 : line.wait + (bytes * 8) / line.bits;
}
