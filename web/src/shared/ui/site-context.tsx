import { createContext, useContext } from "react";
import type { Schemas } from "@/shared/api/client";

export type OpenSite = Schemas["Site"] & { capture: Schemas["Capture"] };

const Context = createContext<OpenSite | null>(null);
export const SiteProvider = Context.Provider;

/** The open site, whose capture is there; only inside the site's frame. */
export function useSite(): OpenSite {
  const site = useContext(Context);
  if (!site) throw new Error("useSite stands outside the site's frame");
  return site;
}
