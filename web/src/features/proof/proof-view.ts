import type { Schemas } from "@/shared/api/client";
import { behindDoor } from "@/shared/api/door";
import { ALL_IMAGES, asked, type Narrowing, readNarrowing } from "@/shared/library/narrowing";

/** What Proof shows, kept in the address: which images, which of them, side by side or one by one. */
export const SHOWS = [
  ["all", "Everything"],
  ["asking", "Asks for eyes"],
  ["open", "Not judged"],
  ["accept", "Accepted"],
  ["hold", "Held"],
  ["redo", "To be made anew"],
] as const;

export type Show = (typeof SHOWS)[number][0];
export type ProofView = { show: Show; image: number | undefined; pairs: boolean } & Narrowing;

export function readProofView(search: Record<string, unknown>): Partial<ProofView> {
  const found: Partial<ProofView> = readNarrowing(search);
  if (SHOWS.some(([key]) => key === search.show) && search.show !== "all") found.show = search.show as Show;
  if (typeof search.image === "number") found.image = search.image;
  if (search.pairs === true) found.pairs = true;
  return found;
}

export function withProofDefaults(view: Partial<ProofView>): ProofView {
  return { show: "all", image: undefined, pairs: false, ...ALL_IMAGES, ...view };
}

/** What is shown, as the server takes it. */
export const wanted = (view: ProofView): Omit<Schemas["ImageFilter"], "show"> & { show: Show } => ({
  ...asked(view),
  show: view.show,
});

export type Said = NonNullable<Schemas["ProofRow"]["said"]>;
export const SAID_WORDS: Record<Said, string> = {
  accept: "accepted",
  hold: "held: the original stays",
  tighter: "to be made anew, tighter",
  lighter: "to be made anew, lighter",
};

/** A screen's name, "fit", or a number of screen pixels for each of the picture's. */
export type Zoom = string | number;

/** The original at a file's width; what moves and what is drawn by vectors stands beside its whole original. */
export const originalAddress = (capture: number, run: number, row: Schemas["ProofRow"], file: number) =>
  row.kind === "animation" || row.kind === "vector"
    ? behindDoor(`/api/v1/captures/${capture}/images/${row.image_id}/file`)
    : behindDoor(`/api/v1/runs/${run}/proof/${row.image_id}/original/${file}`);
/** One frame of an animation, of the original or of a file. */
export const frameAddress = (
  run: number,
  image: number,
  file: number,
  side: "original" | "rendition",
  frame: number,
) => behindDoor(`/api/v1/runs/${run}/proof/${image}/frames/${file}/${side}/${frame}`);
export const renditionAddress = (capture: number, image: number, file: number) =>
  behindDoor(`/api/v1/captures/${capture}/images/${image}/renditions/${file}`);
