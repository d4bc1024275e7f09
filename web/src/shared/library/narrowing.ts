import type { Schemas } from "@/shared/api/client";

/** What images are filtered by, each a list of values of which any may hold. */
export const FACETS = [
  ["role", "Role"],
  ["kind", "Kind"],
  ["format", "Format"],
  ["finding", "Finding"],
  ["folder", "Folder"],
] as const;
export type Facet = (typeof FACETS)[number][0];
/** Which images are meant, kept in the address: by facets, by a page that names them, by a part of their paths. */
export type Narrowing = { find: string; page: number | undefined } & Record<Facet, string[]>;

export const ALL_IMAGES: Narrowing = {
  find: "",
  page: undefined,
  role: [],
  kind: [],
  format: [],
  finding: [],
  folder: [],
};
/** What takes a narrowing out of the address. */
export const NOT_NARROWED = Object.fromEntries(
  Object.keys(ALL_IMAGES).map((key) => [key, undefined]),
) as Partial<Narrowing>;

/** A narrowing from an address; what can't be understood is left out. */
export function readNarrowing(search: Record<string, unknown>): Partial<Narrowing> {
  const found: Partial<Narrowing> = {};
  if (typeof search.find === "string" && search.find) found.find = search.find;
  if (typeof search.page === "number") found.page = search.page;
  for (const [facet] of FACETS) {
    const values = search[facet];
    if (Array.isArray(values) && values.length) found[facet] = values.map(String);
  }
  return found;
}

/** True where something is left out. */
export function narrows(n: Narrowing): boolean {
  return n.find !== "" || n.page !== undefined || FACETS.some(([facet]) => n[facet].length);
}

/** The narrowing as the server takes it. */
export function asked(n: Narrowing): Omit<Schemas["ImageFilter"], "show"> {
  return {
    search: n.find,
    role: n.role,
    kind: n.kind,
    format: n.format,
    finding: n.finding,
    folder: n.folder,
    page_id: n.page ?? null,
  };
}
