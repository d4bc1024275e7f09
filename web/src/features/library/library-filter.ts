import type { Schemas } from "@/shared/api/client";

/** The library's sorting, filter and view, kept in the address. */
export const SORTS = ["bytes", "pixels", "pages", "path"] as const;
export const SHOWS = [
  ["all", "All"],
  ["over-cap", "Over the cap"],
  ["unused", "Unused"],
  ["copies", "With copies"],
  ["unreadable", "Unreadable"],
] as const;
/** What images are filtered by, each a list of values of which any may hold. */
export const FACETS = [
  ["role", "Role"],
  ["kind", "Kind"],
  ["format", "Format"],
  ["finding", "Finding"],
  ["folder", "Folder"],
] as const;
export const VIEWS = [
  ["table", "Table"],
  ["sheet", "Contact sheet"],
] as const;

export type Sort = (typeof SORTS)[number];
export type Show = (typeof SHOWS)[number][0];
export type Facet = (typeof FACETS)[number][0];
export type Filter = {
  sort: Sort;
  up: boolean;
  find: string;
  show: Show;
  view: (typeof VIEWS)[number][0];
  page: number | undefined;
  all: boolean;
} & Record<Facet, string[]>;

/** A filter from an address; what can't be understood falls back to the default. */
export function readFilter(search: Record<string, unknown>): Partial<Filter> {
  const found: Partial<Filter> = {};
  if (SORTS.includes(search.sort as Sort)) found.sort = search.sort as Sort;
  if (search.up === true) found.up = true;
  if (typeof search.find === "string" && search.find) found.find = search.find;
  if (SHOWS.some(([key]) => key === search.show) && search.show !== "all") found.show = search.show as Show;
  if (search.view === "sheet") found.view = "sheet";
  if (typeof search.page === "number") found.page = search.page;
  if (search.all === true) found.all = true;
  for (const [facet] of FACETS) {
    const values = search[facet];
    if (Array.isArray(values) && values.length) found[facet] = values.map(String);
  }
  return found;
}

export function withDefaults(filter: Partial<Filter>): Filter {
  return {
    sort: "bytes",
    up: false,
    find: "",
    show: "all",
    view: "table",
    page: undefined,
    all: false,
    role: [],
    kind: [],
    format: [],
    finding: [],
    folder: [],
    ...filter,
  };
}

/** The filter as the server takes it. */
export function wanted(f: Filter): Schemas["ImageFilter"] {
  return {
    search: f.find,
    show: f.show,
    role: f.role,
    kind: f.kind,
    format: f.format,
    finding: f.finding,
    folder: f.folder,
    page_id: f.page ?? null,
  };
}

/** True where the filter leaves something out. */
export function narrows(f: Filter): boolean {
  return (
    f.find !== "" || f.show !== "all" || f.page !== undefined || FACETS.some(([facet]) => f[facet].length)
  );
}
