import { readView, type View } from "@/shared/ui/view";

export const ORDERS = [
  ["before", "the heaviest before first"],
  ["after", "the heaviest after first"],
  ["saved", "most saved first"],
  ["share", "least saved last"],
  ["page", "by path"],
] as const;
export type Order = (typeof ORDERS)[number][0];

export const ONLY = [
  ["", "All pages"],
  ["over", "Pages still over budget"],
  ["heavier", "Pages heavier than before"],
] as const;
export type Only = (typeof ONLY)[number][0];

/** What the screen of savings shows, kept in the address. */
export type SavingsView = View & { tab: string; order: Order; only: Only; find: string };

export function readSavingsView(search: Record<string, unknown>): Partial<SavingsView> {
  const found: Partial<SavingsView> = readView(search);
  if (typeof search.tab === "string") found.tab = search.tab;
  if (typeof search.find === "string" && search.find) found.find = search.find;
  const order = ORDERS.find(([key]) => key === search.order)?.[0];
  if (order) found.order = order;
  const only = ONLY.find(([key]) => key === search.only)?.[0];
  if (only) found.only = only;
  return found;
}
