import type { Schemas } from "@/shared/api/client";
import { ALL_IMAGES, asked, type Narrowing, readNarrowing } from "@/shared/library/narrowing";

/** The library's sorting, filter and view, kept in the address. */
export const SORTS = ["bytes", "pixels", "pages", "path"] as const;
export const SHOWS = [
  ["all", "All"],
  ["over-cap", "Over the cap"],
  ["unused", "Unused"],
  ["copies", "With copies"],
  ["unreadable", "Unreadable"],
] as const;
export const VIEWS = [
  ["table", "Table"],
  ["sheet", "Contact sheet"],
] as const;

export type Sort = (typeof SORTS)[number];
export type Show = (typeof SHOWS)[number][0];
export type Filter = {
  sort: Sort;
  up: boolean;
  show: Show;
  view: (typeof VIEWS)[number][0];
  all: boolean;
} & Narrowing;

/** A filter from an address; what can't be understood falls back to the default. */
export function readFilter(search: Record<string, unknown>): Partial<Filter> {
  const found: Partial<Filter> = readNarrowing(search);
  if (SORTS.includes(search.sort as Sort)) found.sort = search.sort as Sort;
  if (search.up === true) found.up = true;
  if (SHOWS.some(([key]) => key === search.show) && search.show !== "all") found.show = search.show as Show;
  if (search.view === "sheet") found.view = "sheet";
  if (search.all === true) found.all = true;
  return found;
}

export function withDefaults(filter: Partial<Filter>): Filter {
  return { sort: "bytes", up: false, show: "all", view: "table", all: false, ...ALL_IMAGES, ...filter };
}

/** The filter as the server takes it. */
export function wanted(f: Filter): Schemas["ImageFilter"] {
  return { ...asked(f), show: f.show };
}
