/** The library's sorting and filter, kept in the address. */
export const SORTS = ["bytes", "pixels", "pages", "path"] as const;
export const SHOWS = [
  ["all", "All"],
  ["over-cap", "Over the cap"],
  ["unused", "Unused"],
  ["copies", "With copies"],
  ["unreadable", "Unreadable"],
] as const;

export type Sort = (typeof SORTS)[number];
export type Show = (typeof SHOWS)[number][0];
export type Filter = { sort: Sort; up: boolean; find: string; format: string[]; show: Show };

/** A filter from an address; what can't be understood falls back to the default. */
export function readFilter(search: Record<string, unknown>): Partial<Filter> {
  const found: Partial<Filter> = {};
  if (SORTS.includes(search.sort as Sort)) found.sort = search.sort as Sort;
  if (search.up === true) found.up = true;
  if (typeof search.find === "string" && search.find) found.find = search.find;
  if (Array.isArray(search.format) && search.format.length) found.format = search.format.map(String);
  if (SHOWS.some(([key]) => key === search.show) && search.show !== "all") found.show = search.show as Show;
  return found;
}

export function withDefaults(filter: Partial<Filter>): Filter {
  return { sort: "bytes", up: false, find: "", format: [], show: "all", ...filter };
}
