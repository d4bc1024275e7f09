import { createContext, useContext } from "react";
import type { Schemas } from "@/shared/api/client";

export type Vocabulary = Schemas["Vocabulary"];
export type Role = Vocabulary["roles"][number];

const Context = createContext<Vocabulary | null>(null);
export const VocabularyProvider = Context.Provider;

/** The tiers, roles and fidelities that there are; only inside the site's frame. */
export function useVocabulary(): Vocabulary {
  const known = useContext(Context);
  if (!known) throw new Error("useVocabulary stands outside the site's frame");
  return known;
}

/** The tier of that name; for none, the one that Chromium belongs to. */
export function useTier(name: string): Schemas["TierOut"] {
  const { tiers } = useVocabulary();
  const tier = tiers.find((t) => t.name === name) ?? tiers.find((t) => t.measured);
  if (!tier) throw new Error("there are no tiers");
  return tier;
}
